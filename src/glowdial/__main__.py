"""``python -m glowdial``: the commands of the application.

Importing allocates much and frees nothing, so the collector waits until it is done: a start is then
an eighth quicker.
"""

import gc

gc.disable()

from glowdial.cli.main import app  # noqa: E402

gc.freeze()
gc.enable()
app()
