"""Where each asked operation's result lies in a submission."""
