"""Lists as other people lay them out, each with what is true of it: a file and beside it the same points in our own
fields, worked out by hand."""
