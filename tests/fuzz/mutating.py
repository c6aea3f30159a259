"""Making bad input of good: samples that are cut, doubled, swollen, spliced and sprinkled."""

import random

_TOKENS = [
    b"<", b">", b"&", b'"', b"'", b"{{", b"}}", b"{{x|else:", b"\x00", b"\xff", b"\xed\xa0\x80", b"\r\n", b"\n\n",
    b"<div>", b"<table><tr><td>", b"<style>", b"<!--", b"<svg>", b"<img src=", b"<a href=javascript:", b"data:",
    b"=?utf-8?B?", b"=?punycode?Q?", b"Content-Type: multipart/mixed; boundary=b\r\n\r\n", b"--b\r\n", b"(", b")", b"[",
    b"]", b"{", b"}", b",", b":", b";", b"@", b"|", b"-", b"+", b"*", b"/", b"%", b"9", b"99999999999999999999", b"-1",
    b"0", b"1e400", b"NaN", b"null", b"true", b"today", b" + 7 working days", b" and ", b" or ", b"not ", b"if ",
    b"sum(", b"_", b"\xe2\x80\xae", b"\xf0\x9f\x98\x80", b"*0*=", b"charset=", b"* OK ", b"250-", b"250 ", b"{99999999}",
    b"utils", b"/dev/zero", b"../", b"%2e%2e/", b"=cmd|", b"\\", b"\t", b"   ",
]  # fmt: skip
_MOST = 400_000  # bytes


def mutated(sample: bytes, others: list[bytes], dice: random.Random) -> bytes:
    """A sample with one to six things done to it."""
    data = bytearray(sample)
    for _ in range(dice.randint(1, 6)):
        _change(data, others, dice)
        if len(data) > _MOST:
            del data[_MOST:]
    return bytes(data)


def _change(data: bytearray, others: list[bytes], dice: random.Random) -> None:
    at = dice.randint(0, len(data))
    end = min(len(data), at + int(dice.expovariate(1 / 20)))
    match dice.randrange(9):
        case 0:
            del data[at:end]
        case 1:
            data[at:at] = dice.choice(_TOKENS)
        case 2:
            data[at:at] = dice.choice(_TOKENS) * dice.choice([2, 10, 100, 1000, 10_000])
        case 3:
            data[at:at] = data[at:end] * dice.choice([1, 10, 500])
        case 4:
            other = dice.choice(others)
            cut = dice.randint(0, len(other))
            data[at:] = other[cut:]
        case 5:
            del data[at:]
        case 6 if at < len(data):
            data[at] ^= 1 << dice.randrange(8)
        case 7 if at < len(data):
            data[at:end] = dice.randbytes(end - at)
        case _:
            data[at:at] = dice.choice(others)[:200]


def flipped(data: bytes, dice: random.Random) -> bytes:
    """A file of which a disk has turned some bits, or lost a stretch."""
    made = bytearray(data)
    for _ in range(dice.choice([1, 1, 2, 8])):
        made[dice.randrange(len(made))] ^= 1 << dice.randrange(8)
    if not dice.randrange(6):
        at = dice.randrange(len(made))
        made[at : at + 4096] = bytes(min(4096, len(made) - at))
    if not dice.randrange(8):
        del made[dice.randrange(len(made)) :]
    return bytes(made)
