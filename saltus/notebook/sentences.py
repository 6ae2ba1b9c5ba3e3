"""Every sentence of `saltus.notebook`, by its code: nothing else of it makes one."""

from saltus.core.wording import Sentences

say = Sentences(
    {
        # derived, advice
        "advice.no-uncertainty-stated": "No uncertainty was stated.",
        "advice.knowing-reference-length-twice": "Knowing the reference length twice as well",
        "advice.what-limits-result": "What limits this result",
        "advice.what-limits-scale": "What limits the scale",
        "advice.placing-two-ends-twice": "Placing the two ends twice as well",
        "advice.readings-scatter-more-stated": "The readings scatter more than stated: look at the residuals for what went wrong.",
        "advice.placing-each-reading-twice": "Placing each reading twice as well",
        "advice.reading": "Reading",
        "advice.scale": "Scale",
        "advice.clock": "Clock",
        "advice.angle": "Angle",
        "advice.instruments": "Instruments",
        "advice.reference-twice-long-picture": "A reference twice as long in the picture",
        "advice.gain": "{what}: from ± {before} to ± {after} {unit}.",
        "advice.would-take-scale": "{what} would take the scale from ± {before} % to ± {after} %.",
        "advice.knowing-clock-s-rate": "Knowing the clock’s rate twice as well",
        "advice.turning-axes-twice-well": "Turning the axes twice as well",
        "advice.reading-all-frames-here": "Reading all {there} frames here, not {used}",
        # derived, motion
        "motion.pixels-set-reference-length": "in pixels: set a reference length",
        "motion.pixels-type-reference-length": "in pixels: type the reference length",
        "motion.pixels-drag-ends-reference": "in pixels: drag the ends of the reference apart",
        "motion.body-segment-not-any": "The body of this segment is not there any more.",
        # derived, sound onsets
        "sound.sound-shorter-picture": "The sound is shorter than the picture.",
        # derived, times
        "times.film-plays-slower-faster": "This film plays slower or faster than it was taken: its sound does not keep time with it.",
        "times.take-no-sound": "This take has no sound.",
        "times.body-not-any-more": "Its body is not there any more: choose another.",
        "times.two-frames-same-time": "Two frames have the same time: set the readings in one of them aside.",
        "times.before-first-frame-nothing": "Before the first frame nothing was seen: mark a later frame.",
        "times.microphone-stands-within-1000": "A microphone stands within 1000 m, in air between -50 and 60 °C.",
        "times.first-gate": "the first gate",
        "times.choose-segment-body-free": "Choose the segment of the body in free fall first, on Motion.",
        "times.check-needs-scale-segment": "The check needs a scale and a segment with constant acceleration.",
        "times.segment-gives-no-acceleration": "The segment gives no acceleration yet.",
        "times.type-what-watch-shows": "Type what the watch shows in both frames.",
        "times.stop-not-come-after": "In “{name}” the stop does not come after the start: exchange them.",
        "times.instant-gone": "An instant of “{name}” is gone.",
        "times.gate-number": "gate {n}, counted from 0 at the first",
        # derived, timing advice
        "timing.what-limits-time": "What limits this time",
        "timing.checking-clock-twice-well": "Checking the clock twice as well",
        "timing.filming-twice-frame-rate": "Filming at twice the frame rate",
        "timing.timing-cycles-instead": "Timing {n} cycles instead of {now}",
        "timing.knowing-twice-well": "Knowing “{source}” twice as well",
        # edits, trials
        "trials.choose-investigation-first-brings": "Choose an investigation first: it brings the table of trials.",
        # films
        "films.changed-since-measured-put": "{name} has changed since it was measured: put the film from before back.",
        "films.film-not-here-put": "The film {name} is not here: put it beside the notebook, or show where it is.",
        # following
        "following.not-seen": (
            "not seen in {n} frame: no position",
            "not seen in {n} frames: no position",
        ),
        "following.not-seen-in-list": ("not seen in {n} frame", "not seen in {n} frames"),
        "following.doubt": "in doubt",
        "following.doubt-likeness": "looks less alike than before",
        "following.doubt-hidden": "partly hidden",
        "following.doubt-brightness": "much brighter or darker",
        "following.doubt-second": "another place looks as good",
        "following.doubt-edge": "at the edge of the picture",
        "following.doubt-jump": "jump against prediction",
        "following.doubt-after-loss": "seen again after a gap",
        "following.record-not-rows": "The record of a run of following is not rows of frame, state, likeness, doubts, angle, u_angle.",
        # journal
        "journal.edits-cannot-kept-safe": "Edits cannot be kept safe against a crash: {why}. Save often, or free some space.",
        # packing
        "packing.not-empty-choose-new": "{folder} is not empty: choose a new folder.",
        "packing.holds-too-much-pack": "{name} holds too much to be a pack.",
        "packing.holds-two-files-name": "{name} holds two files of one name.",
        "packing.notebook-too-large": "The notebook in {name} is too large.",
        "packing.could-not-written": "{name} could not be written: {why}.",
        "packing.damaged-no-saltus-pack": "{name} is damaged or no Saltus pack.",
        "packing.could-not-unpacked": "{name} could not be unpacked: {why}.",
        "packing.holds-file-would-lie": "{name} holds a file that would lie outside the pack.",
        "packing.holds-no-notebook": "{name} holds no notebook.",
        "packing.notebook-damaged": "The notebook in {name} is damaged.",
        "packing.holds-belongs-no-take": "{name} holds “{file}”, which belongs to no take.",
        "packing.not-hold-film-measured": "{name} does not hold the film {film} as it was measured.",
        # readings
        "readings.readings-notebook-not-rows": "The readings in this notebook are not rows of frame, x, y, u, origin, status, u_y, run.",
        "readings.more-readings-take": "There are more readings than a take can have.",
        "readings.reading-frame-not-place": "The reading in frame {frame} is not a place in the picture.",
        "readings.frame-two-readings-body": "Frame {frame} has two readings of one body.",
        # storage
        "storage.changed-someone-else-since": "{name} was changed by someone else since it was opened here. Your work is still here: save it under another name.",
        "storage.not-saltus-notebook": "{name} is not a Saltus notebook.",
        "storage.not-say-version-notebook": "{name} does not say which version of notebook it is.",
        "storage.could-not-saved-work": "{name} could not be saved: {why}. Your work is still here: save it in another place.",
        "storage.too-large-notebook": "{name} is too large to be a notebook.",
        "storage.cannot-opened": "{name} cannot be opened: {why}.",
        "storage.damaged-no-saltus-notebook": "{name} is damaged or no Saltus notebook. The version before may lie beside it as {old}.",
        "storage.holds-something-notebook-cannot": "{name} holds something a notebook cannot hold: {what}.",
        "storage.made-newer-saltus-file": "{name} was made by a newer Saltus (file version {version}) and cannot be shown by this one: update Saltus.",
    }
)
