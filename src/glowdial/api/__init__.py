"""The HTTP interface: parse, call one workshop function, shape the answer."""
