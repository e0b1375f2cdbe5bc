"""A game pad by radio, and the air between it and a virtual machine: a Bluetooth Low Energy pad (HID over GATT), spoken by the software
stack `bumble` (PyPI, 0.0.236). For tests alone.

    peer.py AIR CONTROL

AIR is a socket that the machine's virtual controller is joined to (H4 packets), CONTROL one by which it is told what to do, a line each:

    io none|display|keyboard|yesno   what the pad can show and take, from the next pairing on
    mitm on|off                      whether it insists on a code
    refuse on|off                    whether it says no to pairing
    forget                           it forgets its keys
    passkey NUMBER                   what somebody types on it
    report HEX                       it sends this report, once its reports are asked for
    drop                             it drops its link

What happens is told by both ends, a JSON object a line.
"""

import asyncio
import json
import logging
import sys

from bumble import ll
from bumble.controller import Controller
from bumble.core import AdvertisingData, PhysicalTransport, UUID
from bumble.device import Device
from bumble.gatt import Characteristic, CharacteristicValue, Descriptor, Service
from bumble.hci import Address, HCI_Disconnection_Complete_Event
from bumble.host import Host
from bumble.keys import MemoryKeyStore
from bumble.link import LocalLink
from bumble.pairing import PairingConfig, PairingDelegate
from bumble.transport import open_transport
from bumble.transport.common import AsyncPipeSink

NAME = "Buoy radio pad"
ADDRESS = "C0:50:4D:00:00:01"
# 16 buttons, a hat, four axes of 8 bits; an output report of two bytes.
DESCRIPTOR = bytes.fromhex(
    "05010905a1018501050919012910150025017501951081020501093915002507350046"
    "3b0165147504950181426500750495018101050109300931093209351500"
    "26ff0035004500750895048102"
    "0600ff0901150026ff00750895029102c0"
)
CAN = {
    "none": PairingDelegate.NO_OUTPUT_NO_INPUT,
    "display": PairingDelegate.DISPLAY_OUTPUT_ONLY,
    "keyboard": PairingDelegate.KEYBOARD_INPUT_ONLY,
    "yesno": PairingDelegate.DISPLAY_OUTPUT_AND_YES_NO_INPUT,
}
WRITERS = set()
TYPED = asyncio.Queue()
STATE = {"io": "none", "mitm": False, "refuse": False}


def tell(**what):
    line = json.dumps(what)
    print(line, flush=True)
    for writer in WRITERS:
        writer.write(line.encode() + b"\n")


class Told(logging.Handler):
    """What the software stack complains of is told as well."""

    def emit(self, record):
        tell(event="log", text=record.getMessage())


class Machine(Controller):
    """The machine's own controller; the ends of its links are told."""

    def send_hci_packet(self, packet):
        if isinstance(packet, HCI_Disconnection_Complete_Event):
            tell(event="the machine is told of the end", handle=packet.connection_handle, reason=packet.reason)
        super().send_hci_packet(packet)


class Air(LocalLink):
    """Between two controllers: whoever sends is named as the other one knows it, also where a link is ended from either side."""

    def send_acl_data(self, sender, destination, transport, data):
        if transport != PhysicalTransport.LE:
            return super().send_acl_data(sender, destination, transport, data)
        to = self.find_le_controller(destination)
        link = sender.le_connections.get(destination)
        source = link.self_address if link else sender.random_address
        if to:
            asyncio.get_running_loop().call_soon(lambda: to.on_link_acl_data(source, transport, data))

    def send_ll_control_pdu(self, sender_address, receiver_address, packet):
        to = self.find_le_controller(receiver_address)
        if to and sender_address not in to.le_connections and to.le_connections:
            sender_address = next(reversed(to.le_connections))
        if isinstance(packet, ll.TerminateInd):
            tell(event="link ended", by=str(sender_address), of=str(receiver_address), known=bool(to))
        if to:
            super().send_ll_control_pdu(sender_address, receiver_address, packet)


class Hand(PairingDelegate):
    def __init__(self):
        super().__init__(io_capability=CAN[STATE["io"]])

    async def accept(self):
        tell(event="asked to pair", refuses=STATE["refuse"])
        return not STATE["refuse"]

    async def confirm(self, auto=False):
        return True

    async def compare_numbers(self, number, digits):
        tell(event="compares", code=f"{number:0{digits}}")
        return True

    async def get_number(self):
        tell(event="wants a code")
        return await TYPED.get()

    async def display_number(self, number, digits):
        tell(event="shows", code=f"{number:0{digits}}")


def services():
    sealed = Characteristic.READ_REQUIRES_ENCRYPTION | Characteristic.WRITE_REQUIRES_ENCRYPTION
    kinds = Characteristic.Properties
    readable = Characteristic.READABLE
    uuid = UUID.from_16_bits

    def reference(number, kind):
        return Descriptor(uuid(0x2908), readable, bytes([number, kind]))

    def written(what):
        return CharacteristicValue(read=lambda _: bytes(2), write=lambda _, value: tell(event=what, bytes=value.hex()))

    reports = Characteristic(uuid(0x2A4D), kinds.READ | kinds.NOTIFY, sealed, bytes(7), [reference(1, 1)])
    output = Characteristic(
        uuid(0x2A4D),
        kinds.READ | kinds.WRITE | kinds.WRITE_WITHOUT_RESPONSE,
        sealed | Characteristic.WRITEABLE,
        written("output"),
        [reference(1, 2)],
    )
    control = Characteristic(uuid(0x2A4C), kinds.WRITE_WITHOUT_RESPONSE, Characteristic.WRITEABLE, written("control"))
    hid = Service(
        uuid(0x1812),
        [
            Characteristic(uuid(0x2A4A), kinds.READ, readable, bytes([0x11, 1, 0, 2])),
            Characteristic(uuid(0x2A4B), kinds.READ, sealed, DESCRIPTOR),
            control,
            reports,
            output,
        ],
    )
    ids = bytes([2, 0x09, 0x12, 0x0C, 0x0B, 0x00, 0x01])
    about = Service(uuid(0x180A), [Characteristic(uuid(0x2A50), kinds.READ, readable, ids)])
    battery = Service(
        uuid(0x180F), [Characteristic(uuid(0x2A19), kinds.READ | kinds.NOTIFY, readable, bytes([77]))]
    )
    return reports, [hid, about, battery]


async def main(air, control):
    logging.getLogger().addHandler(Told(logging.WARNING))
    link = Air()
    joined = await open_transport(f"unix-server:{air}")
    Machine(
        "machine",
        host_source=joined.source,
        host_sink=joined.sink,
        link=link,
        public_address=Address("00:50:4D:00:00:FE", Address.PUBLIC_DEVICE_ADDRESS),
    )
    own = Controller("pad", link=link)
    device = Device(name=NAME, address=Address(ADDRESS), host=Host(own, AsyncPipeSink(own)))
    reports, all_services = services()
    device.add_services(all_services)
    device.pairing_config_factory = lambda _: PairingConfig(
        sc=True, mitm=STATE["mitm"], bonding=True, delegate=Hand()
    )
    device.advertising_data = bytes(
        AdvertisingData(
            [
                (AdvertisingData.FLAGS, bytes([6])),
                (AdvertisingData.COMPLETE_LOCAL_NAME, NAME.encode()),
                (AdvertisingData.INCOMPLETE_LIST_OF_16_BIT_SERVICE_CLASS_UUIDS, bytes([0x12, 0x18])),
                (AdvertisingData.APPEARANCE, bytes([0xC4, 3])),
            ]
        )
    )
    links = []

    def connected(connection):
        links[:] = [connection]
        tell(event="linked")

        def gone(reason):
            links.clear()
            tell(event="unlinked", reason=reason)

        connection.on("disconnection", gone)
        connection.on("pairing", lambda keys: tell(event="paired"))
        connection.on("pairing_failure", lambda reason: tell(event="not paired", reason=str(reason)))

    device.on("connection", connected)
    await device.power_on()
    device.keystore = MemoryKeyStore()
    await device.start_advertising(auto_restart=True)

    async def obey(line):
        word, _, rest = line.partition(" ")
        if word == "io":
            STATE["io"] = rest
        elif word in ("mitm", "refuse"):
            STATE[word] = rest == "on"
        elif word == "forget":
            await device.keystore.delete_all()
        elif word == "passkey":
            TYPED.put_nowait(int(rest))
        elif word == "report":
            # What is sent before anybody has asked for it is lost.
            while not any(asked.get(reports.handle) for asked in device.gatt_server.subscribers.values()):
                await asyncio.sleep(0.02)
            await device.notify_subscribers(reports, bytes.fromhex(rest))
        elif word == "drop" and links:
            await links[0].disconnect()
        tell(event="done", of=line)

    async def talk(reader, writer):
        WRITERS.add(writer)
        while line := await reader.readline():
            # One that waits for something keeps none behind it waiting.
            asyncio.create_task(obey(line.decode().strip()))
        WRITERS.discard(writer)

    await asyncio.start_unix_server(talk, control)
    tell(event="there")
    await asyncio.get_running_loop().create_future()


asyncio.run(main(sys.argv[1], sys.argv[2]))
