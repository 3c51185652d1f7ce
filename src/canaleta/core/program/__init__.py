"""Into the controller: names, mapping, and for each point a network of blocks, as text that is proved against the path."""
