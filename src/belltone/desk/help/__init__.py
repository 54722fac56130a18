"""Help in the window: terms, pages, a tour."""
