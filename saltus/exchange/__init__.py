"""What leaves the notebook: tables, graphs and the sheet, described as plain data."""
