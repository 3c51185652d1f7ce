"""The database: its tables, the connection, the plant's lock and clock, and how cells stand in columns."""
