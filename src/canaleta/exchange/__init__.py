"""Files in and out: the project file, lists as CSV. What comes from outside is read in a child process."""
