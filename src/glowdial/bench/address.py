"""Where an instrument is: a host and a port, or any VISA resource that has a pure-Python way.

Source of the resource strings: the VISA library specification VPP-4.3, and the HiSLIP and VXI-11
standards for what stands behind them.
"""

from __future__ import annotations

import ipaddress
import re
from dataclasses import dataclass

from glowdial.core.language.errors import BadInput

LABEL = re.compile(r"(?!-)[A-Za-z0-9_-]{1,63}(?<!-)")
LONGEST_HOST = 253
EXAMPLES = (
    "bench:5025, TCPIP::bench::INSTR, TCPIP::bench::hislip0::INSTR, ASRL/dev/ttyUSB0::INSTR or "
    "USB::0x1234::0x5678::SN1::INSTR"
)
# what each way needs beyond what comes with the application, and what to say where it is missing
NEEDS = {
    "ASRL": "its serial line cannot be opened: see that the adapter is plugged in, that this user "
    "may open it, and that pyserial is installed",
    "USB": "it is not found on USB: see that it is plugged in, that this user may open it, and "
    "that pyusb with a libusb is installed",
    "GPIB": "GPIB needs linux-gpib or gpib-ctypes on this machine",
}
SERIAL = re.compile(r"ASRL([\w./:-]+?)(::INSTR)?", re.IGNORECASE)
USB = re.compile(
    r"USB\d*::(0x[0-9A-F]{1,4}|\d+)::(0x[0-9A-F]{1,4}|\d+)::[\w.-]+(::\d+)?(::(INSTR|RAW))?",
    re.IGNORECASE,
)
TCPIP = re.compile(
    r"TCPIP\d*::(?P<host>[^:\s]+|\[[0-9A-Fa-f:]+\])"
    r"(?:(?P<device>::(inst|hislip|gpib)[\w,]*)?(::INSTR)?|::(?P<port>\d{1,5})::SOCKET)",
    re.IGNORECASE,
)


@dataclass(frozen=True, slots=True)
class Address:
    """A VISA resource, and how people call it."""

    resource: str
    shown: str

    @property
    def host(self) -> str:
        """The host of one on the network; "" of others."""
        found = TCPIP.fullmatch(self.resource)
        return found["host"] if found else ""

    @property
    def way(self) -> str:
        """How it is reached: TCPIP, ASRL, USB."""
        match = re.match(r"[A-Za-z]+", self.resource)
        return match[0].upper() if match else ""


def address_of(host: str, port: int) -> Address:
    """The address of an instrument; raises BadInput for one that cannot be right."""
    text = host.strip()
    if "::" in text or text.upper().startswith("ASRL"):
        return _resource(text)
    if not _is_host(text) or not 1 <= port <= 65535:
        raise BadInput("instrument", f"{host}:{port}", "must be a host and a port", EXAMPLES)
    return Address(f"TCPIP::{text}::{port}::SOCKET", f"{text}:{port}")


def _resource(text: str) -> Address:
    found = TCPIP.fullmatch(text)
    if found is not None:
        port = int(found["port"] or 1)
        if not _is_host(found["host"]) or not 1 <= port <= 65535:
            raise BadInput("instrument", text, "names a host that cannot be right", EXAMPLES)
        return Address(text, text)
    if SERIAL.fullmatch(text):
        whole = text if text.upper().endswith("::INSTR") else f"{text}::INSTR"
        return Address(whole, text)
    if USB.fullmatch(text):
        return Address(text, text)
    raise BadInput("instrument", text, "is no VISA resource that is known here", EXAMPLES)


def _is_host(text: str) -> bool:
    """Whether it may be a host: an address, or labels apart by dots that are not all figures."""
    try:
        return not ipaddress.ip_address(text.strip("[]")).is_unspecified
    except ValueError:
        pass
    labels = text.removesuffix(".").split(".")
    if len(text) > LONGEST_HOST or not all(LABEL.fullmatch(label) for label in labels):
        return False
    return not labels[-1].isdigit()
