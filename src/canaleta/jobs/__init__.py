"""What acts by itself once it was begun: scripts that are played, lists that are brought in."""
