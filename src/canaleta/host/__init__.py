"""The machine: what is installed, the private database, and the processes that run."""
