"""Element matrices: the line kernel, nodes with directors."""
