"""The web side of a kit. A view finds, checks, calls an edit, and answers with what the edit changed.

pages.py     whole pages and the views of a kit
card.py      what the pad card shows, and its pictures
tables.py    what the page's player reads: the playbook, prepared sounds, the kernel
answer.py    how an edit is run and answered
changes.py   one view for each edit
stacking.py  the proposal: names and sound to pads, and loops cut over pads
"""
