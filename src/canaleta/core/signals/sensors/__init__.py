"""What field sensors make of a temperature, by their standards."""
