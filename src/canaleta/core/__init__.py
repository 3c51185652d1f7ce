"""Everything that is computed, in ten rooms, each knowing only those below it:

    rules        findings over the whole list
    checks       proving a loop
    hardware     what fits where, what is used, loads, settings
    live         what time makes of readings
    wiring       cores, terminals, circuits
    sheet        the list as people read and type it
    path         six stations, forwards and backwards
    model        the plant as data
    signals      what stands on wires and in registers
    notation     figures, units and names as people write them

No web, database, network, clock or process: time and data are arguments. The order is held by a contract in
pyproject.toml.
"""
