"""Designs side by side: variants, what differs, which mode is which."""
