"""What is there before a sheet is: starting points, sheets of before, demos."""
