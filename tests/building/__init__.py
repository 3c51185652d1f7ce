"""What tests build with: plants in words, faults to plant, racks that are read, programs that run."""
