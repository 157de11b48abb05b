"""setup.sh: the works of a host as one script of the shell."""

from kavrel.formats.servers.setup.script import setup_script

__all__ = ["setup_script"]
