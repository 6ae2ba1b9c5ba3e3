"""Every sentence of `saltus.footage`, by its code: nothing else of it makes one."""

from saltus.core.wording import Sentences

say = Sentences(
    {
        # helper
        "helper.broke-decoder-damaged-not": "{name} broke its decoder: it is damaged or not a film. Copy it from the camera again.",
        "helper.keeps-decoder-busy-without": "{name} keeps its decoder busy without end: it is damaged.",
        "helper.needs-more-memory-film": "{name} needs more memory than a film may take.",
        # opening
        "opening.gone": "{name} is not there any more: find it, or open another film.",
        "opening.cannot-read": "{name} cannot be read: {why}.",
        # pictures
        "pictures.rate-pictures-lie-between": "The rate of the pictures must lie between 0.001 and 1 000 000 per second.",
        "pictures.pictures-come-gone-folder": "Pictures have come or gone in this folder since it was opened.",
        "pictures.holds-no-numbered-pictures": "{name} holds no numbered pictures: name them like frame_001.png, frame_002.png.",
        "pictures.holds-too-many-pictures": "{name} holds too many pictures to be one take.",
        "pictures.two-pictures-same-number": "Two pictures in {name} have the same number.",
        "pictures.picture-cannot-read": "The picture {name} cannot be read.",
        "pictures.other-size": "{name} is {w} × {h} px, the first picture {w0} × {h0}: keep one size in one folder.",
        # reader
        "reader.no-such-frame": "There is no frame {frame}: the frames are numbered 0 to {last}.",
        "reader.frame-cannot-decoded-file": "Frame {frame} of {name} cannot be decoded: the file has changed or is damaged.",
        # reading through
        "reading-through.folder-pictures-say-how": "{name} is a folder of pictures: say how many were taken per second (--rate).",
        # sound
        "sound.sound-breaks-off-damaged": "The sound breaks off: it is damaged there.",
        "sound.no-sound": "{name} has no sound.",
        "sound.sound-not-say-rate": "The sound of {name} does not say its rate.",
        "sound.sound-cannot-read": "The sound of {name} cannot be read.",
        "sound.sound-longer-minutes-trim": "The sound of {name} is longer than {n} minutes: trim it first.",
        # survey
        "survey.decoder-gave-frame-times": "The decoder gave frame times out of order; they were put in order.",
        "survey.file-states-no-frame": "The file states no frame times; {rate:.4g} frames per second were assumed.",
        "survey.holds-picture-cannot-decoded": "{name} holds a picture that cannot be decoded.",
        "survey.empty-copy-camera-again": "{name} is empty: copy it from the camera again.",
        "survey.damaged-pictures-not-read": "Damaged pictures: do not read frames {frames}.",
        "survey.holds-sound-no-picture": "{name} holds sound but no picture: open a film with pictures.",
        "survey.holds-no-picture-open": "{name} holds no picture: open a film with pictures.",
        "survey.cannot-read-film-damaged": "{name} cannot be read as a film: it is damaged, cut off, or not a film. Copy it again.",
        "survey.nothing-decoded-damaged-cut": "Nothing of {name} can be decoded: it is damaged or cut off. Copy it again.",
        "survey.frames-same-time-before": (
            "{n} frame has the same time as the one before.",
            "{n} frames have the same time as the one before.",
        ),
        "survey.end-film-cut-off": (
            "The end of this film is cut off or damaged; the {n} frame before can be read.",
            "The end of this film is cut off or damaged; the {n} frames before can be read.",
        ),
        "survey.pieces-film-damaged-left": (
            "{n} piece of this film is damaged and was left out.",
            "{n} pieces of this film are damaged and were left out.",
        ),
        # rhythm of repeats
        "rhythm-of-repeats.film-converted-frames-per": "This film was converted from {old} to {rate} frames per second: only {new} of every {all} show anything new.",
        "rhythm-of-repeats.film-converted-only-every": "This film was converted: only {new} of every {all} frames show anything new.",
        # slow
        "slow.film-says-taken-frames": "The film says that it was taken at {rate:g} frames per second; it plays at {plays:.3g}: slow motion. Type that rate as its clock, or check the clock.",
        "opening.no-folder": "{name} is not a folder of films that can be read.",
        # stills
        "stills.say-rate": "{name} is a picture: say how many flashes a second it was taken with.",
        "stills.exposures": "A picture holds 2 to {most} exposures.",
        "stills.rates-look-alike": "Read at {rate} flashes a second. At {half} or {double} the picture would look the same: speeds would be half or twice, accelerations a quarter or four times. A free fall in it must show g.",
        # writing
        "writing.moving-ending": "Animated pictures are written as .webp or .gif: name {name} so.",
        "writing.moving-failed": "{name} could not be written: its frames are too large for an animated picture.",
        "writing.no-room": "There is no room for {name}: free some space, or choose another place.",
        "writing.cannot": "{name} could not be written: {why}.",
    }
)
