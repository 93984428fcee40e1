"""The back office of Skerry Ferries."""
