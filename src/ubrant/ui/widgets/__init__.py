"""Widgets that several stages share: power path, trace, ledger, callouts, jot line. Each does one thing and says so by a signal."""
