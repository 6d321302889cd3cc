"""Modbus devices behind the one interface: over TCP, or a serial line (RS-485); and the stand-in
BMS that answers as one would.
"""

import asyncio
import logging
import threading
from collections.abc import Callable, Coroutine, Iterator, Mapping, Sequence
from types import TracebackType
from typing import Any

from pymodbus import ModbusException
from pymodbus.client import ModbusSerialClient, ModbusTcpClient
from pymodbus.server import ModbusSerialServer, ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from nipper.core.link.registers import (
    LinkError,
    RegisterMap,
    encode,
    read_settings,
    standin_map,
    write_settings,
)
from nipper.core.link.serialpair import SerialPair
from nipper.core.setup import Setup

logging.getLogger("pymodbus").setLevel(
    logging.CRITICAL
)  # what goes wrong is said once, by LinkError
logging.getLogger("pymodbus.logging").setLevel(logging.CRITICAL)
TIMEOUT_S = 2.0
RETRIES = 1
TCP_PORT = 502  # Modbus over TCP, IANA
BAUD = 9600  # usual on RS-485, common practice


class ModbusDevice:
    """A BMS at a place: ``192.168.1.20``, ``192.168.1.20:1502``, or a serial port such as
    ``/dev/ttyUSB0``.

    Raises
    ------
    LinkError
        It cannot be reached.
    """

    def __init__(self, place: str, device_id: int = 1, baud: int = BAUD) -> None:
        self._place, self._id = place.strip(), device_id
        self._client = _client(self._place, baud)
        try:
            there = self._client.connect()
        except (OSError, ValueError, OverflowError) as error:  # no such name can be, or port
            raise LinkError(f"{self._place}: expected an address, {error}") from None
        if not there:
            raise LinkError(f"{self._place}: expected a BMS that answers, nothing does")

    def read(self, address: int, count: int) -> list[int]:
        """Holding registers from an address on."""
        try:
            answer = self._client.read_holding_registers(address, count=count, device_id=self._id)
        except (ModbusException, OSError) as error:
            raise LinkError(
                f"{self._place}: expected an answer from device {self._id}, {error}"
            ) from None
        if answer.isError() or len(answer.registers) != count:
            raise LinkError(
                f"{self._place}: expected {count} registers from {address} on, device "
                f"{self._id} refuses; is this map for this BMS?"
            )
        return list(answer.registers)

    def write(self, address: int, values: Sequence[int]) -> None:
        """Set holding registers from an address on."""
        try:
            answer = self._client.write_registers(address, list(values), device_id=self._id)
        except (ModbusException, OSError) as error:
            raise LinkError(
                f"{self._place}: expected an answer from device {self._id}, {error}"
            ) from None
        if answer.isError():
            raise LinkError(
                f"{self._place}: expected to write register {address}, device {self._id} refuses"
            )

    def close(self) -> None:
        """Let go of the line."""
        self._client.close()


def _client(place: str, baud: int) -> ModbusTcpClient | ModbusSerialClient:
    if not place:
        raise LinkError("expected an address such as 192.168.1.20 or a port such as /dev/ttyUSB0")
    if place.startswith("/") or place.upper().startswith("COM"):
        return ModbusSerialClient(place, baudrate=baud, timeout=TIMEOUT_S, retries=RETRIES)
    host, colon, port = place.rpartition(":")
    if colon and not port.isdecimal():
        raise LinkError(f"{place}: expected a port number after the colon")
    return ModbusTcpClient(
        host if colon else place,
        port=int(port) if colon else TCP_PORT,
        timeout=TIMEOUT_S,
        retries=RETRIES,
    )


class StandInDevice:
    """A device that answers over Modbus on this machine alone; used with ``with``. ``place`` is its
    address, or its serial port.

    Parameters
    ----------
    registers : what it holds; what is written to it stays
    live : registers that are made anew at each reading
    serial : on a serial line (two ends of a pseudo-terminal) instead of TCP
    """

    def __init__(
        self,
        registers: Mapping[int, int],
        device_id: int = 1,
        live: Callable[[], Mapping[int, int]] | None = None,
        serial: bool = False,
    ) -> None:
        self._live, self._serial = live, serial
        held = dict(registers) | (dict(live()) if live else {})
        blocks = [
            SimData(address, values=values, datatype=DataType.REGISTERS)
            for address, values in _neighbours(held)
        ]
        action = self._renew if live else None
        self._device = SimDevice(device_id, simdata=blocks, action=action)
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(
            target=self._loop.run_forever, name="stand-in BMS", daemon=True
        )
        self._server: ModbusTcpServer | ModbusSerialServer | None = None
        self._line: SerialPair | None = None
        self.place = ""

    async def _renew(
        self, _code: int, first: int, address: int, count: int, now: list[int], _set: object
    ) -> None:
        """What is told now, in place of what was told."""
        assert self._live
        for at, value in self._live().items():
            if address <= at < address + count:
                now[at - first] = value

    def __enter__(self) -> "StandInDevice":
        self._thread.start()
        self.place = self._run(self._begin())
        return self

    def _run(self, work: Coroutine[Any, Any, str]) -> str:
        future = asyncio.run_coroutine_threadsafe(work, self._loop)
        return future.result(timeout=10.0)

    async def _begin(self) -> str:
        if self._serial:
            self._line = SerialPair()
            server = ModbusSerialServer(self._device, port=self._line.near, baudrate=BAUD)
            self._server = server
            await server.serve_forever(background=True)
            return self._line.far
        self._server = ModbusTcpServer(self._device, address=("127.0.0.1", 0))
        await self._server.serve_forever(background=True)
        transport: Any = self._server.transport  # asyncio's server
        host, port = transport.sockets[0].getsockname()[:2]
        return f"{host}:{port}"

    async def _end(self) -> str:
        if self._server is not None:
            await self._server.shutdown()
        return ""

    def __exit__(
        self,
        kind: type[BaseException] | None,
        error: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._run(self._end())
        if self._line is not None:
            self._line.close()
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(timeout=10.0)
        self._loop.close()


class StandInBms(StandInDevice):
    """A BMS that holds settings."""

    def __init__(
        self, setup: Setup, registers: RegisterMap | None = None, device_id: int = 1
    ) -> None:
        super().__init__(encode(setup, registers or standin_map()), device_id)


def _neighbours(registers: Mapping[int, int]) -> Iterator[tuple[int, list[int]]]:
    """Runs of registers that follow each other, with what they hold."""
    first, values = -1, list[int]()
    for address in sorted(registers):
        if values and address != first + len(values):
            yield first, values
            values = []
        if not values:
            first = address
        values.append(registers[address])
    if values:
        yield first, values


def read_bms(
    place: str, registers: RegisterMap, device_id: int = 1, stand_in: Setup | None = None
) -> dict[str, object]:
    """The settings a BMS holds, by path: of the device at a place, or of a stand-in that holds the
    given ones.

    Raises
    ------
    LinkError
        It does not answer, or not as the map says.
    """
    if stand_in is not None:
        with StandInBms(stand_in, registers, device_id) as bms:
            return read_bms(bms.place, registers, device_id)
    device = ModbusDevice(place, device_id)
    try:
        return read_settings(device, registers)
    finally:
        device.close()


def write_bms(
    place: str,
    registers: RegisterMap,
    device_id: int,
    order: tuple[Setup, Sequence[str]],
    stand_in: Setup | None = None,
) -> dict[str, object]:
    """Write the settings of these paths to the device at a place, or to a stand-in that holds
    others; what it then holds, by path.

    Raises
    ------
    LinkError
        It does not answer, does not take a value, or holds another one afterwards.
    """
    if stand_in is not None:
        with StandInBms(stand_in, registers, device_id) as bms:
            return write_bms(bms.place, registers, device_id, order)
    device = ModbusDevice(place, device_id)
    try:
        return write_settings(device, order[0], registers, order[1])
    finally:
        device.close()
