#!/usr/bin/env python3
"""WOFF 1.0 to the sfnt that is packed in it (W3C WOFF File Format 1.0, section 3 to 5): tables are only unpacked, nothing is changed.
Usage: unpack.py FONT.woff FONT.ttf. Made with it: the two files here, from the npm package @ibm/plex-sans-condensed 2.0.0 (OFL 1.1, LICENSE.txt)."""
import struct
import sys
import zlib

data = open(sys.argv[1], "rb").read()
signature, flavor, _, count = struct.unpack(">4sIIH", data[:14])
assert signature == b"wOFF"
tables = []
for k in range(count):
    tag, offset, packed, length, checksum = struct.unpack(">4sIIII", data[44 + 20 * k : 64 + 20 * k])
    raw = data[offset : offset + packed]
    tables.append((tag, zlib.decompress(raw) if packed < length else raw, checksum))
power = 1
while power * 2 <= count:
    power *= 2
out = struct.pack(">IHHHH", flavor, count, power * 16, power.bit_length() - 1, count * 16 - power * 16)
at = 12 + 16 * count
body = b""
for tag, raw, checksum in tables:
    out += struct.pack(">4sIII", tag, checksum, at + len(body), len(raw))
    body += raw + b"\0" * (-len(raw) % 4)
open(sys.argv[2], "wb").write(out + body)
