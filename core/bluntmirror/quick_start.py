"""For a command that runs once: loading modules leaves nothing behind to collect, and looking for it takes a tenth of a short run.

Imported before everything else; what a long run leaves behind is still found, a little later. At the end the system takes everything
back at once: looking through it once more takes longer than many a check.
"""

import atexit
import gc

OBJECTS, YOUNG, MIDDLE = 200_000, 20, 20  # made since the last look; looks between two at what has grown older

gc.set_threshold(OBJECTS, YOUNG, MIDDLE)
atexit.register(gc.freeze)  # the first to be registered is the last to act
