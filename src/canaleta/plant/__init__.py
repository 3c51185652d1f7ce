"""What is recorded, and the use cases that change it, in rooms, each knowing only those below it:

    changes      a proposal, its preview, what applying and undoing it does; hardware, conventions, revisions
    checks       signed evidence, runs of scripts, the document that stand-ins are made from
    live         blocks of readings, alarms, trends, leases, commands, temporary changes
    records      points, equipment, findings, waivers, typicals, and the image of them that is kept in memory
    people       accounts and sessions
    database     tables, the connection, locks, the clock, cells in their columns

migrations stand apart: each knows the plant as it was.
"""
