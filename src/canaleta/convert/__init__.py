"""`convert`: signal paths and their parts on the command line, for people and scripts."""

from canaleta.convert.commands import add_commands, joined_spans

__all__ = ["add_commands", "joined_spans"]
