"""The web side of a kit. A view finds, checks, calls an edit, and answers with what the edit changed.

pages.py     whole pages and the views of a kit
pictures.py  the pictures beside the sheet, which apps above put there
card.py      what the pad card shows
answer.py    how an edit is run and answered
changes.py   one view for each edit of pads, layers, takes and mics
unused.py    samples made one, or deleted for good
"""
