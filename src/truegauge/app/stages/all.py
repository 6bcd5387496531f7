"""The stages of the program, in the order of the work, and the devices, as they are offered: a line each."""

from truegauge.app.shell.devices import register_device
from truegauge.app.shell.stage import STAGES, register
from truegauge.app.stages.align.stage import STAGE as ALIGN
from truegauge.app.stages.devices.stage import JOYSTICK, PORTABLE
from truegauge.app.stages.devices.stage import STAGE as DEVICES
from truegauge.app.stages.evaluate.stage import STAGE as EVALUATE
from truegauge.app.stages.measure.stage import STAGE as MEASURE
from truegauge.app.stages.part.stage import STAGE as PART
from truegauge.app.stages.report.stage import STAGE as REPORT
from truegauge.app.stages.silhouette.stage import STAGE as SILHOUETTE

for stage in (PART, DEVICES, ALIGN, MEASURE, EVALUATE, SILHOUETTE, REPORT):
    register(stage)
for device in (JOYSTICK, PORTABLE):
    register_device(device)

__all__ = ["STAGES"]
