"""Every sentence of `saltus.files`, by its code: nothing else of it makes one."""

from saltus.core.wording import Sentences

say = Sentences(
    {
        "reading.no-plain-file": "it is no plain file but a pipe, a socket, a device or a folder",
        "reading.still-growing": "it is still being written: wait until that is done",
        "reading.too-large": "it is larger than {mib} MiB",
        "writing.is-an-input": "{name} is read for this: choose another name for what is written.",
        "writing.no-plain-file": "{name} is no plain file: choose another name for what is written.",
    }
)
