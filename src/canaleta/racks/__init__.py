"""Racks over Modbus TCP: reading, and the agent that scans them."""
