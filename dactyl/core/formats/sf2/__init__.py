"""SoundFont 2, the published format of sampled instruments (Technical Specification 2.04): drums, read and written.

read.py    a file -> presets, with all that their zones inherit
unpack.py  a preset -> an SFZ file and its samples, and what they can't hold
lost.py    what a kit loses on the way, in sentences
core/bounce/soundfont.py writes one, since it mixes sounds
"""
