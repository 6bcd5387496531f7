"""What a report says about the part and the people."""

from truegauge.core.frozen_model import Frozen


class TitleBlock(Frozen):
    """What the report says about the part and the people."""

    title: str = ""
    part_number: str = ""
    drawing: str = ""
    customer: str = ""
    inspector: str = ""
