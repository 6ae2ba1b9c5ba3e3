"""Every sentence of `saltus.jobs`, by its code: nothing else of it makes one."""

from saltus.core.wording import Sentences

say = Sentences(
    {
        # following
        "following.broke-off": "Following ended before frame {frame}: {why} What was found before it stays.",
        "following.exposures-left": (
            "{n} place more looks like “{name}” but does not lie on its way: begin with the first exposure.",
            "{n} places more look like “{name}” but do not lie on its way: begin with the first exposure.",
        ),
        # many films
        "batch.no-bodies": "“{take}” has no bodies yet: follow them in it first, then it can be a template.",
        "batch.no-box": "“{body}” has no box in “{take}”: follow it there first, then it can be a template.",
        "batch.boxes-in-frames": "The boxes in “{take}” are drawn in different frames: follow all bodies from one frame.",
        "batch.too-many": "{n} films are more than {most}: take them in parts.",
        "batch.same-film": "{name} is the same film as {other}: it counts once.",
        "batch.measured": "{name} is measured already, as “{take}”: it is left as it is.",
        "batch.broke": "{name} broke its decoder: it is damaged or not a film.",
        "batch.memory": "{name} needs more memory than there is: its pictures are too large.",
        "batch.stopped": "{name} was not followed to its end: it was stopped.",
        "batch.other-size": "{name} is {width} × {height} px, the template {width0} × {height0}: film it as the template, or measure it by itself.",
        "batch.other-rate": "{name} has {rate} frames a second, the template {rate0}: film it as the template, or measure it by itself.",
        "batch.other-scene": "{name} shows another scene than the template: leave it out, or measure it by itself.",
        "batch.camera-moved": "The camera moved by {px} px between the template and {name}: give it a scale and axes of its own.",
        "batch.body-not-found": "“{body}” is not seen in {name}, or two things look like it: follow it by itself.",
    }
)
