"""Kit -> playbook -> voices: the rules of playing, once.

playbook.py   the tables that every player reads
compile.py    makes them of a kit, pad by pad
player.py     turns hits into voices by them
"""
