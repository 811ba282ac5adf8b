"""SFZ, the open text format for sampled instruments: the drum subset, read and written.

text.py     lines -> headers and opcodes, with #include, #define and comments dealt with
opcodes.py  every opcode that is understood, in one table
read.py     headers and opcodes -> regions with all they inherit
write.py    a kit -> text, and what the text cannot hold
to_kit.py   regions -> a kit, and what will sound different
"""
