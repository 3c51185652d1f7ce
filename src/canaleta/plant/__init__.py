"""What is recorded: tables, proposals, history, accounts, live blocks and commands."""
