from truegauge.api.inspecting import CharacteristicResult as CharacteristicResult
from truegauge.api.inspecting import Inspection as Inspection
from truegauge.api.inspecting import batch as batch
from truegauge.api.inspecting import inspect as inspect
from truegauge.api.machines import Machine as Machine
from truegauge.api.machines import StandIn as StandIn
from truegauge.api.machines import connect as connect
from truegauge.api.machines import stand_in as stand_in
from truegauge.api.plan_features import Feature as Feature
from truegauge.api.plans import Plan as Plan
from truegauge.api.plans import kinds as kinds
from truegauge.api.plans import new_plan as new_plan
from truegauge.api.plans import open_plan as open_plan

__version__: str
