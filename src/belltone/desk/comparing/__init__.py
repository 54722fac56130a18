"""Two designs held against each other, with both shapes side by side."""
