"""Every change: proposed, previewed, applied as one change set, undone, put back to an issue."""
