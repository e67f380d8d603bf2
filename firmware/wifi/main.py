# What this board is. Everything that is to be changed stands here; the other files stay as they are.

WIFI = ""  # the name of the network (2.4 GHz)
PASSWORD = ""  # and its password
COUNTRY = ""  # two letters, for channels 12 and 13; empty is fine

HOUSE = "@HOUSE@"  # where Urbo is: ws://ADDRESS:PORT
TOKEN = "@TOKEN@"  # of urbo station add; it is secret
NAME = "@NAME@"  # of this station
AUTHORITY = @AUTHORITY@  # for wss://: a file with the authority of the house, in PEM
CERTIFIED = @CERTIFIED@  # and a name that its certificate is for; None is the one in HOUSE

WATCHDOG = True  # begins the board anew where its program stands still; False while files are changed often
LED = @LED@  # the board's status LED: its pin, or None

# What is wired: delete what is not there. Lines that are active low (most infrared receivers) say active_low: True.
PORTS = [
    {"id": "ir-out", "direction": "transmitter", "medium": "infrared", "pin": @IR_OUT@, "active_low": False},
    {"id": "ir-in", "direction": "receiver", "medium": "infrared", "pin": @IR_IN@, "active_low": True, "hz": 38000},
    # {"id": "radio-out", "direction": "transmitter", "medium": "radio", "pin": @RADIO_OUT@, "hz": 433920000},
]

import asyncio

import station
import @KIND@

if not WIFI:
    print("urbo: write the name and password of your Wi-Fi into main.py")
    raise SystemExit

board = station.Station(NAME, @KIND@.MODEL, HOUSE, TOKEN, PORTS, @KIND@.make, LED, AUTHORITY, CERTIFIED)
asyncio.run(board.run(station.WiFi(WIFI, PASSWORD, COUNTRY), WATCHDOG))
