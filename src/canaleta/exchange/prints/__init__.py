"""What people still want on paper, in one look: frame, heads on every page, what changed since the last issue marked."""
