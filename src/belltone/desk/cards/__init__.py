"""The cards of the sheet: sentences with live fields."""
