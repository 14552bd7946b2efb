"""The commands: `puddle` and its verbs."""

from puddle.cli.main import main as main
