"""What goes over the wire, by screens."""

from moonplan.api.schemas.common import *  # noqa: F403
from moonplan.api.schemas.days import *  # noqa: F403
from moonplan.api.schemas.files import *  # noqa: F403
from moonplan.api.schemas.household import *  # noqa: F403
from moonplan.api.schemas.log import *  # noqa: F403
from moonplan.api.schemas.prices import *  # noqa: F403
from moonplan.api.schemas.rates import *  # noqa: F403
from moonplan.api.schemas.sun import *  # noqa: F403
from moonplan.api.schemas.tonight import *  # noqa: F403
