"""The joints between stations, one file a family of signals."""
