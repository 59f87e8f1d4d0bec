"""Which reader of foreign files runs in which sandbox, and how much memory, time and output it may take."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Group = Literal["recordings", "files"]
"""Readers of one group share a process that has loaded their libraries and forks a child for each file."""
PRELOADED: dict[Group, tuple[str, ...]] = {
    "recordings": ("lowhiss.exchange.recordings.registry", "openpyxl", "can", "cantools", "asammdf"),
    "files": ("PIL.Image", "PIL.ImageOps", "PIL.JpegImagePlugin", "PIL.PngImagePlugin", "PIL.WebPImagePlugin"),
}


@dataclass(frozen=True, slots=True)
class Reader:
    """One reader of foreign files.

    function : in ``lowhiss.sandbox.inside``.  memory_mb : on top of what the loaded libraries take.
    cpu_s : for any file, and ``cpu_s_per_mb`` more for each megabyte of it.  output_mb : what it may answer, or write.
    """

    name: str
    what: str
    group: Group
    function: str
    memory_mb: int
    cpu_s: int
    cpu_s_per_mb: float
    output_mb: int

    def cpu_limit_s(self, size: int) -> int:
        """Processor time for a file of so many bytes [s]."""
        return self.cpu_s + round(self.cpu_s_per_mb * size / 2**20)


_ALL = (
    Reader("recording", "CSV, XLSX, feed, CAN and MDF recordings", "recordings", "recording", 1024, 60, 3.0, 400),
    Reader("photograph", "JPEG, PNG and WebP photos", "files", "photograph", 512, 20, 0.0, 1),
    Reader("zip_list", "the list of files in a zip", "files", "zip_list", 256, 10, 0.1, 8),
    Reader("zip_member", "one file of a zip, unpacked", "files", "zip_member", 128, 60, 3.0, 4096),
    Reader("zip_texts", "a zip of run records", "files", "zip_texts", 512, 30, 1.0, 200),
    Reader("toml", "rule sets, test orders and lessons in TOML", "files", "toml", 128, 3, 0.0, 8),
    Reader("self_check", "no file: it tries what must be impossible", "files", "self_check", 64, 5, 0.0, 1),
    Reader("backup", "the manifest and the SQL of a backup", "files", "backup", 256, 600, 3.0, 1024 * 1024),
)
READERS: dict[str, Reader] = {one.name: one for one in _ALL}
