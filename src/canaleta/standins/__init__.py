"""Simulated racks that ship with the product; each is a real Modbus TCP server."""
