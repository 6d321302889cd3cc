"""Modbus devices behind the one interface: over TCP, or a serial line (RS-485); and the stand-in
BMS that answers as one would.
"""

import asyncio
import logging
import threading
from collections.abc import Coroutine
from types import TracebackType
from typing import Any

from pymodbus import ModbusException
from pymodbus.client import ModbusSerialClient, ModbusTcpClient
from pymodbus.server import ModbusTcpServer
from pymodbus.simulator import DataType, SimData, SimDevice

from nipper.core.link.registers import LinkError, RegisterMap, encode, read_settings, standin_map
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


class StandInBms:
    """A BMS that holds settings and answers over Modbus on this machine alone; used with ``with``.

    ``place`` is its address.
    """

    def __init__(
        self, setup: Setup, registers: RegisterMap | None = None, device_id: int = 1
    ) -> None:
        raw = encode(setup, registers or standin_map())
        blocks = [
            SimData(address, values=[value], datatype=DataType.REGISTERS)
            for address, value in sorted(raw.items())
        ]
        self._device = SimDevice(device_id, simdata=blocks)
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(
            target=self._loop.run_forever, name="stand-in BMS", daemon=True
        )
        self._server: ModbusTcpServer | None = None
        self.place = ""

    def __enter__(self) -> "StandInBms":
        self._thread.start()
        self.place = self._run(self._begin())
        return self

    def _run(self, work: Coroutine[Any, Any, str]) -> str:
        future = asyncio.run_coroutine_threadsafe(work, self._loop)
        return future.result(timeout=10.0)

    async def _begin(self) -> str:
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
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(timeout=10.0)
        self._loop.close()


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
