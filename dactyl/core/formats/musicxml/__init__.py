"""MusicXML 4.0 (W3C Music Notation Community Group): a part as a drummer's score, written and read back.

places.py  where each kind of drum stands on the staff
rhythm.py  hits -> bars, beats and the values that are written; no XML
write.py   these as a document
read.py    a document -> a part
"""
