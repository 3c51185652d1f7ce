"""Module types and the demo plant: data files with a schema, and how they are read."""
