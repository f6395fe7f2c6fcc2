"""Repairs of a matte: what is put on by hand, over whatever was solved."""
