"""What is handed over of a plant or a system: gathered, drawn as PDF/A, written as a folder, signed and proved."""
