"""What is proved and signed, runs of scripts, and the plant as its stand-ins would be."""
