"""Compression of streams (ISO 32000-1, 7.4.4), by a library that takes half of zlib's time and gives the same bytes on
every machine.
"""

import deflate

_USUAL, _QUICK = 5, 1


def deflated(data: bytes) -> bytes:
    """Data in the zlib format; threads that do this go on beside one another."""
    return bytes(deflate.zlib_compress(data, _USUAL))


def deflated_quickly(data: bytes) -> bytes:
    """Data of which there is very much, in more bytes and half the time."""
    return bytes(deflate.zlib_compress(data, _QUICK))
