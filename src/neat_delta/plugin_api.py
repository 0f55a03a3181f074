"""What packages build on that bring checks, types of fields, formats or destinations: these names stay.

A check gives findings (``Findings`` has their columns); ``Override`` says which option lets them through. A destination
raises ``DeliveryError`` and answers with a ``DeliveryResult``.
"""

from neat_delta.base.errors import DeliveryError
from neat_delta.changeset.findings import findings_frame
from neat_delta.changeset.schemas import Cells, Findings, Items
from neat_delta.checks.check import Check, CheckContext, Override, concat_findings
from neat_delta.delivery.destinations import DeliveryResult
from neat_delta.remote.address import Address

__all__ = [
    "Address",
    "Cells",
    "Check",
    "CheckContext",
    "DeliveryError",
    "DeliveryResult",
    "Findings",
    "Items",
    "Override",
    "concat_findings",
    "findings_frame",
]
