"""The plant for other systems, by open standards: OPC UA, Modbus TCP, MQTT. Read-only, but for what was given away."""
