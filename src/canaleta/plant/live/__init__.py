"""What lives beside the list: readings, alarms, trends, leases of racks, commands, temporary changes, walks."""
