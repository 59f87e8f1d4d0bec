"""Words and figures: every sentence about a verdict, from codes and parameters, in each language and unit."""

from lowhiss.core.words.figures import Figures, plain
from lowhiss.core.words.render import Words
from lowhiss.core.words.report import VERDICT_FORMAT, verdict_record
from lowhiss.core.words.text_report import text_report

__all__ = ["VERDICT_FORMAT", "Figures", "Words", "plain", "text_report", "verdict_record"]
