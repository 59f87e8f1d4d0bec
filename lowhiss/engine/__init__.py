"""What turns records into verdicts, answers and simulated runs: no database, no transport, no clock of its own."""
