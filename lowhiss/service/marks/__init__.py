"""The one envelope of marks: how those of any log are identified, proven, timed, received and kept."""
