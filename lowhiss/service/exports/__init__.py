"""What leaves: papers, tables, and runs as files; and runs that come from elsewhere."""
