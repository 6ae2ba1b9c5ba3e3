"""Every sentence of `saltus.jobs`, by its code: nothing else of it makes one."""

from saltus.core.wording import Sentences

say = Sentences(
    {
        # following
        "following.broke-off": "Following ended before frame {frame}: {why} What was found before it stays.",
    }
)
