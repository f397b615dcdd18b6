"""What goes over the air for each value of the device: encode(value) gives its bytes, decode(bytes) the value.

Numbers are in their unit; a structure is an object with a member for each field, and None for a field that its flags leave
out. What does not fit raises ValueError. It needs nothing but Python 3.8."""

import dataclasses as _dataclasses
import enum as _enum
import json as _json
import struct as _struct
import typing as _typing

_T = _typing.TypeVar("_T")
_ORDERS = {False: "little", True: "big"}


def _fail(layout, text):
    raise ValueError(f"{layout['name']}: {text}")


def _scaled(layout, raw):
    """A raw number in its unit."""
    value = raw * layout["multiplier"]
    if layout["exponent"] > 0:
        value *= 10 ** layout["exponent"]
    elif layout["exponent"] < 0:
        value /= 10 ** -layout["exponent"]
    return value / 2 ** layout["halvings"] if layout["halvings"] else value


def _raw(layout, value):
    """The raw number that is nearest to an amount."""
    if isinstance(value, int) and layout["exponent"] == 0 and layout["multiplier"] == 1 and not layout["halvings"]:
        return value
    scaled = value * 2 ** layout["halvings"] / layout["multiplier"]
    if layout["exponent"] > 0:
        return round(scaled / 10 ** layout["exponent"])
    return round(scaled * 10 ** -layout["exponent"])


def _put_integer(layout, raw, signed):
    bits = layout["bits_of_number"]
    least, greatest = (-(1 << bits - 1), (1 << bits - 1) - 1) if signed else (0, (1 << bits) - 1)
    if not least <= raw <= greatest:
        _fail(layout, "out of what its format can hold")
    masked = raw & ((1 << bits) - 1)
    return masked.to_bytes(layout["size"], _ORDERS[layout["most_first"]])


def _get_integer(layout, data, signed):
    bits = layout["bits_of_number"]
    raw = int.from_bytes(data, _ORDERS[layout["most_first"]]) & ((1 << bits) - 1)
    return raw - (1 << bits) if signed and raw >> bits - 1 else raw


# Mantissa and exponent of decimal numbers, and the mantissas that are no numbers.
_MEDFLOATS = {2: (12, 4), 4: (24, 8)}


def _get_medfloat(layout, data):
    width, exponent_width = _MEDFLOATS[layout["size"]]
    raw = _get_integer(layout, data, False)
    mantissa, exponent = raw & ((1 << width) - 1), raw >> width
    first = (1 << width - 1) - 2
    if first <= mantissa <= first + 4:
        return (float("inf"), float("nan"), float("nan"), float("nan"), float("-inf"))[mantissa - first]
    mantissa -= mantissa >> width - 1 << width
    exponent -= exponent >> exponent_width - 1 << exponent_width
    return float(f"{mantissa}e{exponent}")


def _put_medfloat(layout, value):
    width, exponent_width = _MEDFLOATS[layout["size"]]
    first = (1 << width - 1) - 2
    mantissa, exponent = first + 1, 0
    if value in (float("inf"), float("-inf")):
        mantissa = first if value > 0 else first + 4
    elif value == value:
        exponent = -(1 << exponent_width - 1)
        while exponent < (1 << exponent_width - 1) - 1 and (
                round(value / 10.0 ** exponent) > first - 1 or round(value / 10.0 ** exponent) < 1 - first):
            exponent += 1
        mantissa = round(value / 10.0 ** exponent)
        if not 1 - first <= mantissa < first:
            _fail(layout, "out of what its format can hold")
        while mantissa % 10 == 0 and exponent < 0:  # as few digits as say the same
            mantissa, exponent = mantissa // 10, exponent + 1
    raw = mantissa & ((1 << width) - 1) | (exponent & ((1 << exponent_width) - 1)) << width
    return _put_integer(layout, raw, False)


def _get_one(layout, data):
    kind = layout["kind"]
    if kind == "boolean":
        return data[0] != 0
    if kind in ("unsigned", "signed"):
        return _scaled(layout, _get_integer(layout, data, kind == "signed"))
    if kind == "flags":
        return _get_integer(layout, data, False)
    if kind == "wide":
        return int.from_bytes(data, _ORDERS[layout["most_first"]], signed=layout["format"] == "sint128")
    if kind == "float":
        code = {4: "f", 8: "d"}[layout["size"]]
        return _struct.unpack((">" if layout["most_first"] else "<") + code, data)[0]
    if kind == "medfloat":
        return _get_medfloat(layout, data)
    if kind == "pair":
        return _struct.unpack("<HH", data)
    if kind == "text":
        return data.decode("utf-8")
    return data.decode("utf-16-le") if kind == "utf16" else bytes(data)


def _put_one(layout, value):
    kind = layout["kind"]
    if kind == "boolean":
        return bytes([bool(value)])
    if kind in ("unsigned", "signed"):
        return _put_integer(layout, _raw(layout, value), kind == "signed")
    if kind == "flags":
        return _put_integer(layout, int(value), False)
    if kind == "wide":
        return value.to_bytes(16, _ORDERS[layout["most_first"]], signed=layout["format"] == "sint128")
    if kind == "float":
        code = {4: "f", 8: "d"}[layout["size"]]
        return _struct.pack((">" if layout["most_first"] else "<") + code, value)
    if kind == "medfloat":
        return _put_medfloat(layout, value)
    if kind == "pair":
        return _struct.pack("<HH", *value)
    if kind == "text":
        return value.encode("utf-8")
    return value.encode("utf-16-le") if kind == "utf16" else bytes(value)


def _is_there(layout, values):
    """Whether a field is there, by the flags before it."""
    when = layout.get("when")
    return when is None or bool(values[when["field"]] >> when["bit"] & 1) == when["set"]


def _take(layout, data, at, length):
    if at + length > len(data):
        _fail(layout, "too few bytes")
    return data[at:at + length], at + length


def _get_field(layout, data, at):
    if layout.get("up_to"):
        items = []
        while at < len(data) and len(items) < layout["up_to"]:
            part, at = _take(layout, data, at, layout["size"])
            items.append(_get_one(layout, part))
        return items, at
    rest = len(data) - at
    length = layout["size"] or (layout["length"] if layout["fixed"] else rest)
    if length > layout["length"]:
        _fail(layout, "too many bytes")
    part, at = _take(layout, data, at, length)
    return _get_one(layout, part), at


def _get(layout, data):
    at, values = 0, {}
    if layout["kind"] != "struct":
        value, at = _get_field(layout, data, 0)
    for field in layout.get("fields", []):
        values[field["id"]] = None
        if _is_there(field, values):
            values[field["id"]], at = _get_field(field, data, at)
    if at != len(data):
        _fail(layout, "too many bytes")
    return values if layout["kind"] == "struct" else value


def _put_field(layout, value):
    if layout.get("up_to"):
        if len(value) > layout["up_to"]:
            _fail(layout, f"at most {layout['up_to']} items")
        return b"".join(_put_one(layout, item) for item in value)
    data = _put_one(layout, value)
    if len(data) > layout["length"] or (layout["fixed"] and len(data) != layout["length"]):
        _fail(layout, f"{len(data)} bytes, not {layout['length']}")
    return data


def _put(layout, value):
    if layout["kind"] != "struct":
        return _put_field(layout, value)
    data = b""
    for field in layout["fields"]:
        one = value[field["id"]]
        if not _is_there(field, value):
            continue
        if one is None:
            _fail(field, "missing, and its flags say that it is there")
        data += _put_field(field, one)
    return data


class Coder(_typing.Generic[_T]):
    """One kind of value: what it is called, its UUIDs (None in an advertisement), and how it is sent."""

    def __init__(self, name, service, uuid, layout, kind=None):
        self.name, self.service, self.uuid = name, service, uuid
        self._layout, self._kind = layout, kind

    def encode(self, value: _T) -> bytes:
        try:
            if self._kind is not None:
                value = {field["id"]: getattr(value, field["member"]) for field in self._layout["fields"]}
            return _put(self._layout, value)
        except (OverflowError, TypeError, UnicodeError, _struct.error, AttributeError) as problem:
            raise ValueError(f"{self.name}: {problem}") from problem

    def decode(self, data: bytes) -> _T:
        try:
            value = _get(self._layout, bytes(data))
        except (OverflowError, TypeError, UnicodeError, _struct.error) as problem:
            raise ValueError(f"{self.name}: {problem}") from problem
        return value if self._kind is None else self._kind(*value.values())
