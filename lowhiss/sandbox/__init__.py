"""Files from outside are read in a sandbox: a process without network, privileges, or sight of keys and database."""

from lowhiss.sandbox.host import Answer, RefusedFileError, SandboxError, SandboxMissingError, probe, read, warm_up
from lowhiss.sandbox.table import READERS, Reader

__all__ = [
    "READERS",
    "Answer",
    "Reader",
    "RefusedFileError",
    "SandboxError",
    "SandboxMissingError",
    "probe",
    "read",
    "warm_up",
]
