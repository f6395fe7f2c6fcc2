"""Where cutouts stand on the sheet, and how the sheet is framed."""
