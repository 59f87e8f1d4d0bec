"""All tables at once: a row refers to those of other modules by name, so whoever opens the database has loaded all."""

from __future__ import annotations

import lowhiss.store.finding_models
import lowhiss.store.fleet_models
import lowhiss.store.inspection_models
import lowhiss.store.installation_models
import lowhiss.store.learning_models
import lowhiss.store.people_models
import lowhiss.store.practice_models
import lowhiss.store.run_models
import lowhiss.store.seal_models
import lowhiss.store.trace_models  # noqa: F401
from lowhiss.store.base import Base

TABLES = Base.metadata
