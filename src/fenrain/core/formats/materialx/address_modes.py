"""How image nodes of MaterialX go on beyond their images (MaterialX 1.39 specification, `image`)."""

from __future__ import annotations

from fenrain.core.values import Wrap

WRAPS = {"periodic": Wrap.REPEAT, "mirror": Wrap.MIRROR, "clamp": Wrap.CLAMP, "constant": Wrap.BLACK}
ADDRESS_MODES = {wrap: mode for mode, wrap in WRAPS.items()}
