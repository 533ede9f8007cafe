"""help: what a command does; also as manual pages, and completion for a shell."""
