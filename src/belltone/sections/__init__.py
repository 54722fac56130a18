"""What members and walls are across: sections of members, layups of walls."""
