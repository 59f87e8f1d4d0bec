"""The trade itself: rules, runs, judgement. Pure Python; imports nothing else of ours, reads no files and no clock."""
