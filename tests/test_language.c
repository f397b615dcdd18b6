/* Definitions: rights, descriptors, payloads, what is used of the catalogue, limits; and what is wrong with them. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/hash.h"
#include "design/making/layout.h"
#include "design/making/payload.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/reading/catalogue.h"
#include "support/definition.h"
#include "support/hex.h"

#define SECURE "device: {name: T2, security: {capability: display}}\n"
#define PLAIN  "advertising: {interval: 100 ms}\nservices:\n"
#define ADVERTISED(of)                                                                                                 \
    DEVICE "advertising: {interval: 100 ms, " of "}\nservices: [{name: battery, characteristics: []}]\n"
#define BEHAVES(item)                                                                                                  \
    DEVICE "behaviour: [" item "]\n" PLAIN                                                                             \
           "  - {name: s, uuid: 3e910000-74c8-4d0b-a5f2-61d8c07be293, characteristics: [{name: a, uuid: +1, format: "  \
           "uint8, read: open, write: open, value: 1}, {name: b, uuid: +2, format: uint8, notify: open, handler: "     \
           "read, notification spacing: 1 s}]}\n"
#define ONE(rest) WITH("{name: a, uuid: +1, format: sint16, resolution: 0.1, unit: N m, " rest "}")

static const struct wrong wrong[] = {
    /* the device */
    {"device: {name: T2, address: 12:00:5E:10:00:01}\n" PLAIN "  []\n",
     "1:29 error: \"12:00:5E:10:00:01\" is no static address: its first digit must be C, D, E or F, and its bits not "
     "all alike\n"},
    {"device: {name: T2, address: FF:FF:FF:FF:FF:FF}\n" PLAIN "  []\n",
     "1:29 error: \"FF:FF:FF:FF:FF:FF\" is no static address: its first digit must be C, D, E or F, and its bits not "
     "all alike\n"},
    {"device: {name: T2, address: C2-00-5E}\n" PLAIN "  []\n",
     "1:29 error: address must be random, public, non-resolvable, or six pairs of hexadecimal digits, not "
     "\"C2-00-5E\"\n"},
    {"device: {name: T2, address: non-resolvable}\n" PLAIN "  []\n",
     "1:29 error: a connectable device needs a stable address: use random or public, or advertise as a beacon only\n"},
    {"device: {name: T2, appearance: Thermomter}\n" PLAIN "  []\n",
     "1:32 error: appearance is not known: \"Thermomter\"; did you mean \"Thermometer\"?\n"},
    {"device: {name: T2, limits: {bonds: 2}}\n" PLAIN "  []\n",
     "1:36 error: bonds need security: add security: {capability: none}, or the capability of the device, or remove "
     "bonds\n"},
    {"device: {name: T2, limits: {bonds: 2}, security: {capability: none, bonding: false}}\n" PLAIN
     "  [{name: s, uuid: " LONG
     ", characteristics: [{name: a, uuid: +1, format: uint8, read: encrypted, value: 1}]}]\n",
     "1:36 error: there is room for bonds, but bonding: false: leave one of the two out\n"},
    {"device: {name: T2, limits: {mtu: 50}}\n" PLAIN "  [{name: s, uuid: " LONG
     ", characteristics: [{name: a, uuid: +1, format: bytes, length: 48, notify: open, outbox: true}, {name: b, uuid: "
     "+2, format: bytes, length: 47, notify: open, outbox: true}]}]\n",
     "4:5 advice: \"s\" is not advertised: a central that looks for it by its UUID will not find this device\n4:83 "
     "warning: \"a\" can be 48 bytes long, and with an MTU of 50, which is the most this device agrees to, longer "
     "values never leave the outbox: say limits: {mtu: 51}\n4:159 advice: \"b\" can be 47 bytes long: a central that "
     "keeps the MTU of 23 is sent none that is longer than 20\n"},
    {WITH("{name: a, uuid: +1, format: bytes, length: 512, notify: open, notification spacing: 1 s, handler: read}"),
     "7:16 advice: \"a\" can be 512 bytes long, and with an MTU of 247, which is the most this device agrees to, the "
     "rest "
     "is cut off: say limits: {mtu: 515}\n"},
    {"device: {name: T2, limits: {connections: 33, mtu: 22}}\n" PLAIN "  []\n",
     "1:42 error: connections must be a whole number from 1 to 32, not \"33\"\n"
     "1:51 error: mtu must be a whole number from 23 to 517, not \"22\"\n"},
    {"device: {name: T2, limits: {bonds: 0}, security: {capability: none}}\n" PLAIN "  []\n",
     "1:36 error: there is room for no bonds, but security bonds: make room, or add bonding: false\n"},
    {"device: {name: T2, limits: {connections: 3, bonds: 2}, security: {capability: none}}\n" PLAIN
     "  [{name: s, uuid: " LONG
     ", characteristics: [{name: a, uuid: +1, format: uint8, read: encrypted, value: 1}]}]\n",
     "1:52 warning: 3 peers can be connected but only 2 bonded, so a new bond replaces another: use bonds: 3\n4:5 "
     "advice: \"s\" is not advertised: a central that looks for it by its UUID will not find this device\n"},
    {"device: {name: T2, security: {capability: none, minimum: authenticated, rotation: 1 min, bonding: false, when "
     "full: "
     "refuse, privacy: true, debug key: true}}\n" PLAIN "  [{name: s, uuid: " LONG
     ", characteristics: [{name: a, uuid: +1, format: uint8, read: encrypted, value: 1}]}]\n",
     "1:31 warning: its address changes, and without bonds no peer can resolve it: add bonding\n1:31 error: without "
     "bonds there is no limit: remove when full, or add bonding\n1:31 warning: with the debug key any eavesdropper can "
     "read everything: remove it from a product\n1:58 error: no pairing can succeed: authenticated needs a display, a "
     "keyboard or out-of-band data, and the device has none\n"},
    {"device: {name: T2, security: {capability: display, passkey: 271828, rotation: 1 min}}\n" PLAIN
     "  [{name: s, uuid: " LONG
     ", characteristics: [{name: a, uuid: +1, format: uint8, read: encrypted, value: 1}]}]\n",
     "1:61 advice: a fixed passkey can be found in at most 20 attempts, one bit with each: a random one is safer, if "
     "the device has a display\n1:79 error: only an address of its own privacy changes: add privacy: true, or leave "
     "this out\n"},
    {"device: {name: T2, security: {capability: none, out of band: true}}\n" PLAIN "  [{name: s, uuid: " LONG
     ", characteristics: [{name: a, uuid: +1, format: uint8, read: authenticated, value: 1}]}]\n",
     "4:5 advice: \"s\" is not advertised: a central that looks for it by its UUID will not find this device\n"},
    {"device: {name: T2, security: {capability: display, key size: 7}}\n" PLAIN "  [{name: s, uuid: " LONG
     ", characteristics: [{name: a, uuid: +1, format: uint8, read: secure connections, value: 1}]}]\n",
     "1:62 warning: \"a\" offers read to links with Secure Connections, whose keys have 16 bytes: a pairing with a "
     "shorter key never gets it; remove key size\n4:5 advice: \"s\" is not advertised: a central that looks for it by "
     "its UUID will not find this device\n"},
    {"device: {name: T2, security: {capability: none, privacy: true, rotation: 2 h}}\n" PLAIN "  [{name: s, uuid: " LONG
     ", characteristics: [{name: a, uuid: +1, format: uint8, read: encrypted, value: 1}]}]\n",
     "1:74 error: a rotation must be from 1 s to 1 h\n"},
    {"device: {name: T2, link: {interval: [6 ms, 30 ms], supervision timeout: 50 ms, pause: 2 min, event length: 1 "
     "ms}}\n" PLAIN "  []\n",
     "1:38 error: a connection interval must be from 7.5 ms to 4 s in steps of 1.25 ms, the minimum first\n1:73 error: "
     "a supervision timeout must be from 100 ms to 32 s in steps of 10 ms\n1:87 error: a pause must be at most 60 "
     "s\n1:108 error: an event length must be from 1.25 ms to 4 s in steps of 0.625 ms\n"},
    {"device: {name: T2, link: {latency: 4, accepts: own interval}}\n" PLAIN "  []\n",
     "1:27 error: latency and supervision timeout need an interval: add it\n1:27 error: it accepts only its own "
     "interval, and has none: add one\n"},
    {"device: {name: T2, link: {interval: 1 s, latency: 20}}\n" PLAIN "  []\n",
     "1:37 error: an interval of 1000 ms with a latency of 20 needs a supervision timeout of 42.01 s, and 32 s is the "
     "longest: take a shorter interval, or less latency\n"},
    {"device: {name: T2, limits: {connections: 2}}\nadvertising: {interval: 1 s, kind: beacon}\nservices: []\n",
     "1:42 warning: no advertising set is connectable: remove this\n"},
    {SECURE PLAIN "  []\n",
     "1:31 warning: security is set up, but everything is open: give it something to protect, or leave it out\n"},
    {"device: {name: T2, security: {capability: none, passkey: 12345}}\n" PLAIN "  []\n",
     "1:58 error: a passkey has six digits, such as \"004711\", not \"12345\"\n1:58 error: a device without display "
     "and keyboard cannot use a passkey: remove it, or correct capability\n"},
    {"device: {name: T2, security: {capability: none}}\n" PLAIN "  [{name: s, uuid: " LONG
     ", characteristics: [{name: a, uuid: +1, format: uint8, read: authenticated, value: 1}]}]\n",
     "4:117 error: \"a\" offers read to authenticated links, which a device without display and keyboard cannot reach: "
     "use encrypted, or correct capability\n"},
    /* characteristics */
    {ONE("notify: open, indicate: open and ask, handler: read"),
     "7:97 error: \"a\" asks for different rights to be notified and to be indicated: take the same\n"},
    {ONE("signed write: open, handler: write"),
     "7:87 warning: this host takes no signed writes to \"a\": offer write without response on an encrypted link "
     "instead\n"},
    {ONE("read: open, value: 1, reliable write: true"),
     "7:16 error: \"a\" takes reliable writes, which are writes with a response: add write:\n"},
    {WITH("{name: a, uuid: +1, stream: true, notify: open, read: open}"),
     "7:16 error: \"a\" is a stream, which is notified and has no value: give it notify:, and leave out read:, "
     "indicate:, "
     "value: and handler: read\n"},
    {WITH("{name: a, uuid: +1, format: uint16, unit: 0x27A8, read: open, value: 900 rpm}"), ""},
    {WITH("{name: a, uuid: +1, format: sint8, unit: dBm, read: open, value: -4 dBm}"), ""},
    {WITH("{name: a, uuid: +1, format: uint16, unit: kilowatt hour, read: open, value: 12 kWh}"), ""},
    {WITH("{name: a, uuid: +1, format: uint16, unit: 0x27FF, read: open, value: 1}"),
     "7:51 error: this unit is not known: \"0x27FF\"; there are unitless, metre, kilogram, second, ampere, kelvin, "
     "mole, "
     "candela, square metre, cubic metre, metre per second, metre per second squared, reciprocal metre, kilogram per "
     "cubic metre, kilogram per square metre, cubic metre per kilogram, ampere per square metre, ampere per metre, "
     "mole "
     "per cubic metre, kilogram per cubic metre of concentration, candela per square metre, refractive index and 74 "
     "more\n"},
    {"device: {name: R4}\nscanning: {service: battery, phy: coded, at least: -80 dBm}\nservices: []\n", ""},
    {"device: {name: R4}\nscanning: {interval: 2 ms}\nservices: []\n",
     "2:12 warning: scanning needs a criterion: service:, name: or company:\n2:22 error: a scan interval is from 2.5 "
     "ms to 10.24 s\n"},
    {"device: {name: R4}\nscanning: {name: Torvane, window: 120 ms}\nservices: []\n",
     "2:35 error: a scan window is from 2.5 ms to the scan interval, which is 100 ms\n"},
    {"device: {name: R4}\nscanning: {service: bat, at least: 21 dBm, company: 0xFFFF}\nservices: []\n",
     "2:21 error: \"bat\" is no UUID: write an adopted name, 0x180F, 128 bits as 8-4-4-4-12 digits\n"
     "2:36 error: a power must be whole dBm from -127 to 20, such as -4 dBm, not \"21 dBm\"\n"},
    {ONE("write: open, value: 1, handler name: outputs"),
     "7:110 error: \"a\" has no handler that could be shared under this name: add handler:, or leave it out\n"},
    {ONE("write: open, value: 1, range: [0, 9], any value: true"),
     "7:122 error: any value is for a handler: write of a value with a range: leave it out of \"a\"\n"},
    {ONE("write: open, handler: write, any value: true"),
     "7:113 error: any value is for a handler: write of a value with a range: leave it out of \"a\"\n"},
    {ONE("outbox: true, read: open, value: 1"),
     "7:16 error: \"a\" has an outbox, from which each value is sent as soon as the link has room: give it notify: or "
     "indicate:, and leave out stream: and notification spacing:\n"},
    {ONE("outbox: true, notify: open, notification spacing: 1 s"),
     "7:16 error: \"a\" has an outbox, from which each value is sent as soon as the link has room: give it notify: or "
     "indicate:, and leave out stream: and notification spacing:\n"},
    {ONE("outbox: true, indicate: open, value: 1"),
     "7:16 error: \"a\" has an outbox and is not readable: remove value:, or add read:\n"},
    {ONE("outbox: true, indicate: open, handler: read"),
     "7:112 error: \"a\" has a read handler but no right to read: add read:\n"},
    {WITH("{name: a, uuid: +1, outbox: true, format: bytes, length: 21, notify: open}"),
     "7:16 advice: \"a\" can be 21 bytes long: a central that keeps the MTU of 23 is sent none that is longer than "
     "20\n"},
    {ONE("outbox: true, notify: open, read: open"),
     "7:16 error: \"a\" has nothing to send: add a value, or handler: read\n"},
    {ONE("read: open, value: 20.1, range: [0, 20 N m]"),
     "7:92 error: \"20.1\" is out of the range of a: take one inside\n"},
    {ONE("read: open, value: 2, range: [5, 5]"), "7:103 error: the minimum of a range must be less than the maximum\n"},
    {ONE("read: open, value: 2, range: [1, 2, 3]"),
     "7:103 error: range must be a list of minimum and maximum, such as [0, 150]\n"},
    {ONE("read: open, value: 2, range: [1, two]"), "7:106 error: \"two\" is no value of a: it is not a number\n"},
    {WITH("{name: a, uuid: +1, format: utf8s, length: 9, read: open, value: x, range: [1, 2]}"),
     "7:85 error: only a whole number has a range: leave it out of \"a\"\n"},
    {WITH("{name: a, uuid: +1, format: sint64, read: open, value: 1, range: [1, 2]}"),
     "7:75 error: only a number of at most 48 bits can have a range: remove it from \"a\"\n"},
    {ONE("read: open, value: 1, description: {text: too long, length: 3, write: open}"),
     "7:115 error: the description has 8 bytes, and may have 3\n"},
    {ONE("read: open, value: 1, description: {text: a, length: 3}"),
     "7:126 error: a constant description has its own length: remove length\n"},
    {ONE("read: open, value: 1, simulate: {shape: recorded}"), "7:106 error: simulate needs a file with its values\n"},
    {ONE("read: open, value: 1, simulate: {shape: recorded, file: no.csv}"),
     "7:129 error: \"no.csv\" cannot be read: a path is meant from the folder of the file that names it\n"},
    {WITH("{name: a, uuid: +1, format: struct, read: open, handler: read, presentation format: true, fields: "
          "[{name: f, format: \"boolean[8]\", bits: [q]}, {name: x, format: uint8, when: q}]}"),
     "7:93 error: a presentation format cannot describe boolean[8]: remove it, or use an adopted format\n7:93 error: "
     "presentation formats cannot describe the optional field \"x\": remove them\n"},
    {WITH("{name: a, uuid: +1, format: struct, read: open, handler: read, fields: [{name: x, format: bytes, length: 2, "
          "up to: 3}, {name: f, format: \"boolean[8]\", bits: [q]}, {name: y, format: uint8, when: q, unless: q}]}"),
     "7:88 error: \"x\" has a variable length: make it the last field\n7:124 error: an array is one of numbers or "
     "flags of at most 64 bits, not of bytes: leave up to out\n7:214 error: \"y\" has both when and unless: leave one "
     "out\n"},
    {WITH(
         "{name: a, uuid: +1, format: uint8, read: open, value: 1, names: [a, A, 'b,c', 9 lives, -1, z = 1, y = 256]}"),
     "7:74 error: \"a\" has two numbers called \"A\": rename one\n7:74 error: \"a\" has a name \"b,c\" in it: it may "
     "not be empty or have one of , ; \" [ ] + in it\n7:74 error: \"9 lives\" would be read as a number: begin the "
     "name with a letter\n7:74 error: \"-1\" would be read as a number: begin the name with a letter\n7:74 error: "
     "\"A\" and \"z\" are both 1: leave one out\n7:74 error: \"y\" is the name of 256: uint8 has names up to 255\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open, value: 1, names: [a = , b = -1, c = 1x, d = "
          "99999999999999999999]}"),
     "7:80 error: a whole number must follow the equals sign, as in: unknown = 255\n7:88 error: a whole number must "
     "follow the equals sign, as in: unknown = 255\n7:96 error: a whole number must follow the equals sign, as in: "
     "unknown = 255\n"},
    {WITH("{name: a, uuid: +1, format: sint8, names: [low], read: open, value: 1}"),
     "7:52 error: only whole numbers without sign, unit and resolution have names: give \"a\" a format such as uint8, "
     "or leave names out\n"},
    {WITH("{name: a, uuid: +1, format: uint8, unit: metre, names: [low], read: open, value: 1}"),
     "7:65 error: only whole numbers without sign, unit and resolution have names: give \"a\" a format such as uint8, "
     "or leave names out\n"},
    {WITH("{name: a, uuid: +1, format: uint32, names: [low = 2147483647, b], read: open, value: middle}"),
     "7:53 error: \"b\" is the name of 2147483648: uint32 has names up to 2147483647\n"
     "7:94 error: \"middle\" is no value of a (uint32, at most 4 bytes): it is neither one of its names nor a "
     "number\n"},
    {WITH("{name: a, uuid: +1, format: \"boolean[8]\", bits: [a+b, none], read: open, value: none}"),
     "7:16 error: \"a\" has a name \"a+b\" in it: it may not be empty or have one of , ; \" [ ] + in it\n"
     "7:16 error: \"a\" has a bit \"none\", which means that no bit is set: rename it\n"},
    {WITH("{name: a, uuid: +1, format: bytes, fixed length: 3, read: open, value: 01 02}"),
     "7:80 error: \"01 02\" has 2 bytes, and a always has 3\n"},
    {WITH("{name: battery level, read: open, value: 101 %}"),
     "7:50 warning: \"101 %\" is not among the values of Battery Level, which go from 0 to 100\n"},
    {WITH("{name: a, uuid: +1, format: utf8s, length: 21, write: open, handler: write}"),
     "7:16 advice: \"a\" can be 21 bytes long: a central that keeps the MTU of 23 can write the first 20 only\n"},
    {ONE("notify: open, handler: read"), "7:16 advice: \"a\" is notified at every change, even by a noisy sensor: "
                                         "limit that, such as notification spacing: 100 ms\n"},
    /* behaviour */
    {BEHAVES("{write: ax, read: a, is: written}"),
     "2:21 error: there is no characteristic \"ax\"; did you mean \"a\"?\n"},
    {BEHAVES("{read: nowhere, is: 1}"), "2:20 error: there is no characteristic \"nowhere\"\n"},
    {BEHAVES("{write: a}"), "2:14 error: the expectation is missing: add read:, expect: or expect none:\n"},
    {BEHAVES("{write: a, set: b, to: on, read: a, is: written}"),
     "2:29 error: one item has one action, write or set: begin the next item with a dash\n"},
    {BEHAVES("{read: a, expect: a}"),
     "2:31 error: one item has one expectation, read, expect or expect none: begin the next item with a dash\n"},
    {BEHAVES("{read: a}"), "2:14 error: the expected value is missing: add is: or between:\n"},
    {BEHAVES("{read: a, is: 1, between: [0, 1]}"), "2:14 error: use either is: or between:\n"},
    {BEHAVES("{read: a, between: [1, 0]}"), "2:33 error: the least comes first\n"},
    {BEHAVES("{read: a, between: [1]}"), "2:33 error: between needs minimum and maximum, such as [0, 10]\n"},
    {BEHAVES("{read: a, is: 1 pear}"),
     "2:27 error: \"1 pear\" is no value of a (uint8, at most 1 bytes): the unit is wrong\n"},
    {BEHAVES("{read: a, is: written}"), "2:27 error: written needs a read of the written value\n"},
    {BEHAVES("{read: a, is: 1, within: 1 s}"), "2:38 error: within needs expect:\n"},
    {BEHAVES("{read: a, is: 1, to: 2}"), "2:34 error: to needs write: or set:\n"},
    {BEHAVES("{set: button, read: a, is: 1}"), "2:19 error: the value is missing: add to:\n"},
    {BEHAVES("{expect: a}"), "2:22 error: \"a\" neither notifies nor indicates\n"},
    {BEHAVES("{write: b, read: a, is: 1}"), "2:21 error: \"b\" cannot be written\n"},
    {BEHAVES("{expect none: b}"), "2:14 error: the duration is missing: add for:\n"},
    {BEHAVES("{expect none: b, for: 1 s, is: 1}"), "2:14 error: expect none takes no value: remove it\n"},
    {BEHAVES("{expect: b, within: 2 min}"), "2:33 error: this time must be more than 0 and at most 60 s\n"},
    {BEHAVES("{read: a, field: x, is: 1}"), "2:30 error: \"a\" has no field \"x\" with one value\n"},
    /* advertising */
    {DEVICE "advertising: [{interval: 1 s}, {interval: 1 s}, {name: x, interval: 1 s}, {name: X, interval: 1 s}]\n"
            "services: []\n",
     "2:33 error: two ways to advertise have no name: name one\n"
     "2:76 error: the advertising \"X\" has the same name in C as another: rename one\n"},
    {ADVERTISED("kind: beacon, response: [name]"),
     "2:58 error: a beacon has no scan response: remove it, or use kind: scannable\n"},
    {ADVERTISED("data: [flags, services]"),
     "2:47 error: no services are listed: add services: to this advertising set\n"},
    {ADVERTISED("services: [battery], data: [flags]"),
     "2:44 error: these services are in neither data nor response: add services to one of them\n"},
    {ADVERTISED("services: [battery], data: [services], response: [flags, flags]"),
     "2:61 warning: without flags, the device is not discoverable: add flags to data\n2:83 error: flags belong in the "
     "advertisement: remove them from the scan response\n2:90 error: this part is there already: leave it out\n"},
    {ADVERTISED("services: [battery], data: [flags, services, {power: loud}, {}]"),
     "2:61 error: this part is empty: write a word such as name, or a key such as manufacturer:\n2:86 error: a power "
     "must be whole dBm from -127 to 127, such as -4 dBm, not \"loud\"\n"},
    {ADVERTISED("services: [battery], data: [flags, services, {power: 1 dBm, shortened name: 2}]"),
     "2:109 error: one item is one part: begin the next item with a dash\n"},
    {ADVERTISED("services: [battery], data: [flags, services, {manufacturer: {company: 0xFFFF, value: "
                "00112233445566778899aabbccddeeff00112233445566}}]"),
     "2:61 error: the advertisement needs 34 bytes (3 flags, 4 services, 27 manufacturer) and has 31: move "
     "services to the scan response, which has room\n"},
    {ADVERTISED(
         "services: [battery], data: [flags, services], response: [{service data: {service: batery, value: 00}}]"),
     "2:115 error: the advertisement promises \"batery\", which is not among the services: add it, or leave it out\n"},
    {ADVERTISED("services: [battery], data: [flags, services, name, {manufacturer: {company: 0xFFFF, value: "
                "00112233445566778899aabbccddeeff001122334455}}], response: [{manufacturer: {company: 0xFFFF, value: "
                "00112233445566778899aabbccddeeff00112233445566}}]"),
     "2:61 error: the advertisement needs 37 bytes (3 flags, 4 services, 4 name, 26 manufacturer) and has 31: leave "
     "out "
     "6; the scan response has no room for a part of it\n"},
    {ADVERTISED("kind: beacon, data: [{connection interval: 5 ms}, {target addresses: [C2:00, T2]}, {uri: yard}, role, "
                "{solicited services: [nothing]}, {target addresses: []}]"),
     "2:76 error: a connection interval must be from 7.5 ms to 4 s in steps of 1.25 ms, the minimum first\n2:103 "
     "error: \"C2:00\" is no address: write one such as C2:00:5E:10:00:01 or public 00:00:5E:10:00:01\n2:110 error: "
     "\"T2\" is no address: write one such as C2:00:5E:10:00:01 or public 00:00:5E:10:00:01\n2:122 error: \"yard\" is "
     "not a URI: begin with a scheme and a colon, such as https:\n2:129 error: this set is not connectable and has no "
     "role: remove role\n2:157 error: \"nothing\" is no UUID: write an adopted name, 0x180F, 128 bits as 8-4-4-4-12 "
     "digits\n2:169 error: this list is empty: leave it out\n2:169 error: this part is there already: leave it out\n"},
    {ADVERTISED("kind: beacon, extended: true, primary phy: 2M"),
     "2:76 error: the primary PHY is 1M or coded, never 2M\n"},
    {ADVERTISED("extended: true, anonymous: true"),
     "2:60 error: an anonymous set cannot be scannable or connectable: use kind: beacon, or remove anonymous\n"},
    {ADVERTISED("phy: 2M"),
     "2:38 error: anonymous, phy, primary phy, sid, include power and events need extended: true\n"},
    {ADVERTISED("sid: 1"),
     "2:38 error: anonymous, phy, primary phy, sid, include power and events need extended: true\n"},
    {ADVERTISED("kind: beacon, report scan requests: true"),
     "2:69 error: a beacon and a connectable extended set get no scan requests: remove report scan requests\n"},
    {ADVERTISED("extended: true, kind: scannable, data: [name]"),
     "2:43 error: a scannable extended set has its data in the response: remove data\n"},
    {ADVERTISED("extended: true, response: [name]"),
     "2:15 warning: without flags, the device is not discoverable: add flags to data\n2:43 error: an extended set that "
     "cannot be asked has no response: put all into data\n"},
    {DEVICE "advertising: {interval: 20 ms, kind: beacon, extended: true, primary phy: coded, phy: coded, data: "
            "[{structure: {type: 0xFF, "
            "value: "
            "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff"
            "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff"
            "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff"
            "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff"
            "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff}}, name]}\nservices: []\n",
     /* 3 x 1168 + 2 x 150 + 330 + 376 + (2 + 10 + 230 + 3) x 64 + 24 us */
     "2:25 error: an event of this takes 20.2 ms on the air: take a longer interval, another phy, or less data\n"},
    {ADVERTISED("power: 21 dBm"), "2:40 error: a power must be whole dBm from -127 to 20, such as -4 dBm, not \"21 "
                                  "dBm\"\n"},
    /* use */
    {DEVICE PLAIN "  - use: batery\n", "4:10 error: nothing adopted is named \"batery\"; did you mean \"Battery\"?\n"},
    {DEVICE PLAIN "  - use: heart rate belt\n    drop: [battery]\n",
     "5:12 error: a whole device is used alone: leave out drop, and use the service that it is about\n"},
    {DEVICE "advertising: {interval: 1 s, services: [immediate alert]}\nservices:\n  - use: immediate alert\n"
            "    characteristics: [{name: alert level, handler: read}]\n", /* in place of the one that was brought */
     "5:30 error: a write to \"alert level\" is lost: add handler: write, or an initial value\n5:52 error: \"alert "
     "level\" has a read handler but no right to read: add read: or notify:\n"},
    {DEVICE "advertising: {interval: 1 s, services: [battery]}\nservices:\n  - {use: battery, drop: [charge]}\n",
     "4:27 error: \"charge\" is not a part of use: remove it\n"},
    {DEVICE "advertising: {interval: 1 s, services: [battery]}\nservices:\n  - {use: battery, drop: [battery level]}\n",
     "4:6 warning: the service Battery must have the characteristic Battery Level (0x2A19): add it\n"},
    {DEVICE "advertising: {interval: 1 s, services: [battery]}\nservices:\n  - {use: battery, characteristics: "
            "[{name: battery level, write: open, handler: [read, write]}]}\n",
     "4:67 warning: in the service Battery, Battery Level must not offer write: leave it out\n"},
    {DEVICE "advertising: {interval: 1 s, services: [battery]}\nservices:\n  - {name: battery, characteristics: "
            "[{name: battery level, notify: open, notification spacing: 1 s, handler: read}]}\n",
     "4:46 warning: in the service Battery, Battery Level must offer read: add it\n"},
};

/* Vol 3 Part G 2.6.3; CSS Part A 1. */
static void what_is_wrong_is_said_with_its_place_and_remedy(void **state)
{
    (void)state;
    assert_wrong(wrong, COUNT(wrong));
}

/* Reads what is right; fails with the findings if it is not. */
static struct ys_design *read_right(const char *text)
{
    struct ys_design *design = read_text(text);
    char *findings = all_findings(design);
    if (design->findings.errors > 0)
        print_error("%s", findings);
    assert_int_equal(design->findings.errors, 0);
    free(findings);
    return design;
}

static void properties_and_rights_are_as_the_ways_say(void **state)
{
    struct ys_design *design =
        read_right("device: {name: T2, security: {capability: display, bonding: false}}\n" PLAIN
                   "  - name: s\n    uuid: " LONG "\n    characteristics:\n"
                   "      - {name: a, uuid: +1, format: uint8, read: encrypted, write: authenticated and ask,\n"
                   "         write without response: authenticated and ask, notify: open and ask,\n"
                   "         indicate: open and ask, handler: [read, write], broadcast: true}\n"
                   "      - {name: b, uuid: +2, format: uint8, read: secure connections and ask, signed write: open,\n"
                   "         reliable write: false, value: 1}\n");
    (void)state;
    struct ys_layout *layout = ys_layout_new(design);
    assert_true(layout->asks);
    assert_int_equal(layout->rows[7].properties, 0x01 | 0x02 | 0x04 | 0x08 | 0x10 | 0x20);
    assert_int_equal(layout->rows[8].rights,
                     (YS_RIGHTS(YS_RIGHT_ENCRYPTED, YS_RIGHT_AUTHENTICATED, YS_RIGHT_OPEN) | YS_ASKS_TO_WRITE));
    assert_int_equal(layout->rows[9].kind, YS_ATTRIBUTE_CONFIGURATION);
    assert_int_equal(layout->rows[9].rights,
                     (YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_NONE) | YS_ASKS_TO_WRITE));
    assert_int_equal(layout->rows[11].properties, 0x02 | 0x40);
    assert_int_equal(layout->rows[12].rights,
                     (YS_RIGHTS(YS_RIGHT_SECURE_CONNECTIONS, YS_RIGHT_OPEN, YS_RIGHT_NONE) | YS_ASKS_TO_READ));
    ys_layout_free(layout);
    ys_design_free(design);
}

/* Each descriptor after a value: its type, its bytes, and whether it is kept in memory (Vol 3 Part
 * G 3.3.3.1, 3.3.3.2, 3.3.3.4). */
static void descriptors_follow_in_order_with_their_bytes(void **state)
{
    static const struct {
        uint16_t type;
        enum ys_attribute_kind kind;
        const char *bytes;
        uint16_t size;
    } expected[] = {
        {0x2900, YS_ATTRIBUTE_DESCRIPTOR, "0300", 2}, /* reliable writes, writable auxiliaries */
        {0x2901, YS_ATTRIBUTE_STORED, "546f72717565", 12},
        {0x2903, YS_ATTRIBUTE_STORED, "0000", 2},
        {0x2904, YS_ATTRIBUTE_DESCRIPTOR, "0e ff 4127 01 0000", 7}, /* sint16, tenths, newton metre */
        {0x2906, YS_ATTRIBUTE_DESCRIPTOR, "e7ff c800", 4},          /* -2.5 to 20.0 */
        {0x2a19, YS_ATTRIBUTE_DESCRIPTOR, "2a", 1},
        {0x2a1a, YS_ATTRIBUTE_STORED, "6162", 5},
    };
    struct ys_design *design =
        read_right(ONE("read: open, write: open, handler: [read, write], reliable write: true, broadcast: true,\n"
                       "          description: {text: Torque, length: 12, write: open}, presentation format: true,\n"
                       "          range: [-2.5 N m, 20], descriptors: [{uuid: 0x2A19, format: uint8, value: 42},\n"
                       "          {uuid: 0x2A1A, format: utf8s, length: 5, value: ab, write: open}]"));
    (void)state;
    struct ys_layout *layout = ys_layout_new(design);
    assert_int_equal(layout->count, 9 + COUNT(expected));
    for (size_t i = 0; i < COUNT(expected); i++) {
        const struct ys_row *row = &layout->rows[9 + i];
        assert_int_equal(ys_uuid_number(&row->type), expected[i].type);
        assert_int_equal(row->kind, expected[i].kind);
        assert_int_equal(row->size, expected[i].size);
        assert_hex(row->bytes, row->length, expected[i].bytes);
    }
    assert_int_equal(layout->rows[7].properties & YS_PROPERTY_EXTENDED, YS_PROPERTY_EXTENDED);
    assert_int_equal(layout->values_size, 2 + 12 + 2 + 2 + 2 + 5);
    assert_true(layout->rows[10].variable);
    assert_false(layout->rows[11].variable);
    ys_layout_free(layout);
    ys_design_free(design);
}

/* Vol 3 Part G 3.3.3.5, 3.3.3.6. */
static void a_structure_has_a_presentation_format_a_field_and_a_list_of_them(void **state)
{
    struct ys_design *design = read_right(
        WITH("{name: a, uuid: +1, format: struct, read: open, handler: read, presentation format: true,\n"
             "          fields: [{name: x, format: uint8}, {name: y, format: sint16, resolution: 0.01, unit: °C}]}"));
    (void)state;
    struct ys_layout *layout = ys_layout_new(design);
    assert_int_equal(layout->count, 12);
    assert_hex(layout->rows[9].bytes, layout->rows[9].length, "04 00 0027 01 0000");
    assert_hex(layout->rows[10].bytes, layout->rows[10].length, "0e fe 2f27 01 0000");
    assert_int_equal(ys_uuid_number(&layout->rows[11].type), 0x2905);
    assert_hex(layout->rows[11].bytes, layout->rows[11].length, "0a00 0b00"); /* their handles */
    ys_layout_free(layout);
    ys_design_free(design);
}

static void a_table_that_clients_may_keep_has_its_hash(void **state)
{
    static const char *const devices[] = {"device: {name: T2, caching: true}\n", SECURE,
                                          "device: {name: T2, caching: false, security: {capability: none}}\n", DEVICE};
    (void)state;
    for (size_t i = 0; i < COUNT(devices); i++) {
        char text[300];
        uint8_t hash[16];
        (void)snprintf(text, sizeof text, "%s" PLAIN "  - use: battery\n", devices[i]);
        struct ys_design *design = read_right(text);
        struct ys_layout *layout = ys_layout_new(design);
        assert_int_equal(layout->count, i < 2 ? 16 : 9); /* asked for; since peers are remembered; not; not */
        if (i < 2) {
            assert_true(ys_layout_hash(layout, hash));
            assert_int_equal(layout->rows[7].stored_at, 0);
            assert_int_equal(layout->rows[10].kind, YS_ATTRIBUTE_FEATURES);
            assert_memory_equal(layout->rows[12].characteristic->value, hash, 16);
            assert_int_not_equal(hash[0] | hash[1], 0);
        }
        ys_layout_free(layout);
        ys_design_free(design);
    }
}

/* CSS Part A 1.4, 1.5, 1.9, 1.10, 1.11, 1.12, 1.15, 1.16, 1.17, 1.18. */
static void payloads_are_composed_part_by_part(void **state)
{
    struct ys_design *design = read_right(
        "device: {name: Torvane T2, appearance: Thermometer}\n"
        "advertising:\n"
        "  - interval: [100 ms, 150 ms]\n"
        "    services: [battery]\n"
        "    data: [flags, services, appearance, interval, {power: -4 dBm}, {shortened name: 3}]\n"
        "    response: [name, {service data: {service: battery, format: uint8, value: 87}}]\n"
        "  - {name: beacon, kind: beacon, interval: 1 s, data: [{manufacturer: {company: 0xFFFF, value: 02 15}},\n"
        "     {structure: {type: 0x24, value: 17 68}}]}\n"
        "  - {name: long one, kind: scannable, interval: 1 s, data: [{service data: {service: s, value: 2a}}]}\n"
        "  - {name: by rule, kind: beacon, interval: 1 s}\n"
        "  - {name: parts, interval: 1 s, services: [battery], data: [flags, incomplete services, role,\n"
        "     {connection interval: [30 ms, 50 ms]}, {solicited services: [current time, 0x180F]}],\n"
        "     response: [{target addresses: [C2:00:5E:10:00:01, public 00:00:5E:10:00:02]}, {uri: \"https://a\"}]}\n"
        "  - {name: rare, extended: true, kind: beacon, interval: 60 s, data: [interval, {manufacturer:\n"
        "     {company: 0xFFFF, format: struct, fields: [{name: crib, format: uint16, byte order: big endian},\n"
        "     {name: tool, format: uint24}, {name: force, format: float32, byte order: big endian}],\n"
        "     value: \"crib 3, tool 217, force 1\"}}]}\n"
        "  - {name: newer, extended: true, interval: 1 s, services: [battery]}\n"
        "  - {name: asked, extended: true, kind: scannable, interval: 1 s}\n"
        "services: [{name: battery, characteristics: []}, {name: s, uuid: " LONG ", characteristics: []}]\n");
    static const struct {
        uint8_t kind;
        const char *data;
        const char *response;
    } expected[] = {
        {YS_ADVERTISE_CONNECTABLE, "020106 03030f18 03190003 031aa000 020afc 0408546f72",
         "0b09546f7276616e65205432 04160f1857"},
        {YS_ADVERTISE_BEACON, "05ffffff0215 03241768", ""},
        {YS_ADVERTISE_SCANNABLE, "1221 526a7be0c1d4379a6f4e1c2b00008d5f 2a", ""},
        {YS_ADVERTISE_BEACON, "020104", ""}, /* not to be found in the sense of its mode */
        {YS_ADVERTISE_CONNECTABLE, "020106 03020f18 021c00 051218002800 051405180f18",
         "071702 00105e0000 071801 00105e00c2 0524172f2f61"},
        {YS_ADVERTISE_BEACON, "042f007701 0cffffff 0003 d90000 3f800000", ""},
        {YS_ADVERTISE_CONNECTABLE, "020106 03030f18 0b09546f7276616e65205432", ""},
        {YS_ADVERTISE_SCANNABLE, "", "0b09546f7276616e65205432"},
    };
    (void)state;
    assert_int_equal(design->set_count, COUNT(expected));
    for (size_t i = 0; i < COUNT(expected); i++) {
        struct ys_payload payload = ys_payload_compose(design, &design->sets[i]);
        assert_int_equal(ys_advertisement_kind(&design->sets[i]), expected[i].kind);
        assert_hex(payload.data, payload.data_length, expected[i].data);
        assert_hex(payload.response, payload.response_length, expected[i].response);
    }
    ys_design_free(design);
}

/* "name properties handlers": of each characteristic of a service. */
static void assert_service(const struct ys_service *service, const char *name, const char *expected)
{
    char text[400] = "";
    size_t used = 0;
    assert_string_equal(service->name, name);
    for (size_t i = 0; i < service->characteristic_count; i++) {
        const struct ys_characteristic *one = &service->characteristics[i];
        used += (size_t)snprintf(text + used, sizeof text - used, "%s%s %02x%s%s", i > 0 ? "; " : "", one->name,
                                 ys_characteristic_properties(one), one->read_handler ? " read" : "",
                                 one->write_handler ? " write" : "");
    }
    assert_string_equal(text, expected);
}

static void what_is_used_comes_with_its_mandatory_parts(void **state)
{
    struct ys_design *design = read_right(
        DEVICE PLAIN
        "  - {use: battery, name: Battery}\n"
        "  - use: health thermometer\n"
        "    characteristics:\n"
        "      - {name: body temperature, uuid: Temperature Measurement, notify: open}\n"
        "      - {name: measurement interval, value: 60}\n"
        "      - {name: mine, uuid: 6f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52, format: uint8, read: open, value: 1}\n"
        "  - {use: link loss, name: left behind, drop: [alert level]}\n"
        "  - use: device information\n");
    (void)state;
    assert_service(&design->services[2], "Battery", "battery level 02 read");
    assert_service(&design->services[3], "health thermometer",
                   "body temperature 30 read; measurement interval 02; mine 02");
    assert_int_equal(design->services[3].characteristics[1].value[0], 60);
    assert_service(&design->services[4], "left behind", "");
    assert_service(&design->services[5], "device information", "");
    ys_design_free(design);
}

static void a_typical_device_comes_whole_but_for_what_the_definition_has_itself(void **state)
{
    struct ys_design *design =
        read_right(DEVICE PLAIN "  - use: key finder\n"
                                "  - name: battery\n"
                                "    characteristics:\n"
                                "      - {name: charge, uuid: battery level, read: open, value: 5}\n");
    (void)state;
    assert_int_equal(design->service_count, 2 + 4);
    assert_service(&design->services[2], "immediate alert", "alert level 04 write");
    assert_service(&design->services[3], "link loss", "link loss alert level 0a read write"); /* told apart */
    assert_service(&design->services[4], "tx power", "tx power level 02 read");
    assert_service(&design->services[5], "battery", "charge 02");
    ys_design_free(design);
}

/* Whatever the catalogue offers can be used just so. */
static void every_service_and_device_of_the_catalogue_can_be_used(void **state)
{
    static const enum ys_adopted_kind kinds[] = {YS_ADOPTED_SERVICE, YS_ADOPTED_DEVICE};
    (void)state;
    for (size_t kind = 0; kind < COUNT(kinds); kind++) {
        size_t count = 0;
        const struct ys_adopted *all = ys_adopted_all(kinds[kind], &count);
        for (size_t i = 0; i < count; i++) {
            char text[200];
            if (all[i].number == 0x1800 || all[i].number == 0x1801) /* made from device */
                continue;
            (void)snprintf(text, sizeof text, DEVICE PLAIN "  - use: %s\n", all[i].name);
            struct ys_design *design = read_right(text);
            assert_int_equal(design->findings.warnings, 0);
            ys_design_free(design);
        }
    }
}

static void a_length_is_fixed_or_the_greatest(void **state)
{
    struct ys_design *design =
        read_right(WITH("{name: a, uuid: +1, format: bytes, fixed length: 3, write: open, handler: write}\n"
                        "      - {name: b, uuid: +2, format: bytes, length: 3, write: open, handler: write}"));
    (void)state;
    struct ys_layout *layout = ys_layout_new(design);
    assert_int_equal(layout->rows[8].size, 3);
    assert_false(layout->rows[8].variable);
    assert_int_equal(layout->rows[10].size, 3);
    assert_true(layout->rows[10].variable);
    ys_layout_free(layout);
    ys_design_free(design);
}

static void values_of_the_widest_and_rarest_formats_are_shown_and_read_back(void **state)
{
    static const struct {
        const char *format;
        const char *hex;
        const char *text;
        const char *written; /* NULL: the same */
    } cases[] = {
        {"uint64", "ffffffffffffffff", "18446744073709551615", NULL},
        {"uint64", "0000000000000080", "9223372036854775808", NULL},
        {"uint64", "0100000000000000", "1", NULL},
        {"uint128", "2a000000000000000000000000000000", "0x2a", NULL},
        {"uint128", "0f0e0d0c0b0a09080706050403020100", "0x102030405060708090a0b0c0d0e0f", NULL},
        {"sint128", "ffffffffffffffffffffffffffffffff", "0xffffffffffffffffffffffffffffffff", NULL},
        {"uint128", "00000000000000000000000000000000", "0x0", "0x000"},
        {"uint16[2]", "11002a00", "17 42", NULL},
        {"uint16[2]", "ffff0000", "65535 0", "65535  0"},
        {"utf16s", "540032 00", "\"T2\"", "T2"},
        {"utf16s", "b0003dd800de", "\"\xc2\xb0\xf0\x9f\x98\x80\"", "\xc2\xb0\xf0\x9f\x98\x80"},
        {"medASN1", "0102ff", "01 02 ff", NULL},
    };
    static const struct {
        const char *format;
        const char *text;
    } refused[] = {{"uint64", "18446744073709551616"},
                   {"uint64", "-1"},
                   {"uint64", "1.5"},
                   {"uint64", "1 m"},
                   {"uint128", "17"},
                   {"uint128", "0x"},
                   {"uint128", "0x100000000000000000000000000000000"},
                   {"uint16[2]", "1"},
                   {"uint16[2]", "1 65536"},
                   {"uint16[2]", "1 2 3"},
                   {"uint16[2]", "-1 2"},
                   {"utf16s", "eleven letters"}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const struct ys_field field = {.format = ys_format_find(cases[i].format), .length = {.number = 20}};
        uint8_t bytes[32];
        char text[96];
        const char *problem = NULL;
        size_t length = from_hex(cases[i].hex, bytes, sizeof bytes);
        ys_value_format(&field, bytes, length, text, sizeof text);
        assert_string_equal(text, cases[i].text);
        assert_int_equal(
            ys_value_parse(&field, cases[i].written != NULL ? cases[i].written : text, bytes, 32, &problem), length);
        assert_hex(bytes, length, cases[i].hex);
    }
    for (size_t i = 0; i < COUNT(refused); i++) {
        const struct ys_field field = {.format = ys_format_find(refused[i].format), .length = {.number = 20}};
        uint8_t bytes[32];
        const char *problem = NULL;
        assert_int_equal(ys_value_parse(&field, refused[i].text, bytes, 32, &problem), -1);
        assert_non_null(problem);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_wrong_is_said_with_its_place_and_remedy),
        cmocka_unit_test(properties_and_rights_are_as_the_ways_say),
        cmocka_unit_test(descriptors_follow_in_order_with_their_bytes),
        cmocka_unit_test(a_structure_has_a_presentation_format_a_field_and_a_list_of_them),
        cmocka_unit_test(a_table_that_clients_may_keep_has_its_hash),
        cmocka_unit_test(payloads_are_composed_part_by_part),
        cmocka_unit_test(what_is_used_comes_with_its_mandatory_parts),
        cmocka_unit_test(a_typical_device_comes_whole_but_for_what_the_definition_has_itself),
        cmocka_unit_test(every_service_and_device_of_the_catalogue_can_be_used),
        cmocka_unit_test(a_length_is_fixed_or_the_greatest),
        cmocka_unit_test(values_of_the_widest_and_rarest_formats_are_shown_and_read_back),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
