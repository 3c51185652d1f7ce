"""Demo plants: documents with what the list says, and what stands in the field."""
