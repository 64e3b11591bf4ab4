"""Boards: pictures, bands, marks and words on one large sheet, kept as an open document."""
