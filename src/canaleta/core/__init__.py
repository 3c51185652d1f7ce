"""Pure computation: arrays in, arrays out. No web, database, network, clock or globals."""
