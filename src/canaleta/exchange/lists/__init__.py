"""Lists that others made: what their columns, cells and rows mean, and what they would do to the plant."""
