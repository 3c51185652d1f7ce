"""The API over HTTP, in rooms: list, hardware, live, checks, people, all on the kit. Each registers its routes
once."""
