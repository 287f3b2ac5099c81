"""The window: the only part of Tempik that knows Qt."""

import gc

# While its modules load there is nothing to collect, and looking for it takes a tenth of that time; from when the window stands on,
# `session.garbage` looks for it.
gc.disable()
