/* Definitions: what is wrong with them, what they mean, and the values in words. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "design/making/hash.h"
#include "design/making/layout.h"
#include "design/making/payload.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "design/model/words.h"
#include "design/open.h"
#include "design/reading/catalogue.h"
#include "support/definition.h"
#include "support/hex.h"

#define ADVERTISING "advertising: {interval: 100 ms}\n"
#define HEAD        DEVICE ADVERTISING
#define ONE_VALUE   "{name: a, uuid: +1, format: uint8, read: open, value: 1}"

/* Each wrong definition and all that is said of it. */
static const struct wrong wrong[] = {
    {"", "1:1 error: this is no YAML document: write a mapping of keys to values\n"},
    {"%YAML 1.2\n---\na: 1\n", "1:1 error: a directive is not read here: leave out this line\n"},
    {"a: 1\nb: x\xc6y\n",
     "2:5 error: this byte (0xc6) is no text: write the file in UTF-8, without control characters\n"},
    {"a: \xc0\x80", "1:4 error: this byte (0xc0) is no text: write the file in UTF-8, without control characters\n"},
    {"a: \xed\xa0\x80",
     "1:4 error: this byte (0xed) is no text: write the file in UTF-8, without control characters\n"},
    {"a: \x07", "1:4 error: this byte (0x07) is no text: write the file in UTF-8, without control characters\n"},
    {"device: {name: T2, name: T3}\n" ADVERTISING "services: []\nservices: []\n",
     "1:20 error: device has name already: leave one of them out\n"
     "4:1 error: the definition has services already: leave one of them out\n"},
    {HEAD "services: []\n--- # one\na: [\n",
     "4:1 error: a second document begins here: a file contains one document\n"},
    {"# one\n---\n" HEAD "services: []\n...\n\n# two\na: 1\n",
     "9:1 error: a second document begins here: a file contains one document\n"},
    {"---\n---\n" HEAD "services: []\n", "2:1 error: a second document begins here: a file contains one document\n"},
    {"---\n" HEAD "services: []\n...\n# the end\n", ""},
    {"just words", "1:1 error: the definition must be a mapping of keys to values\n"},
    {"- a\n- b\n", "1:3 error: the definition must be a mapping of keys to values\n"},
    {HEAD, "1:1 error: the definition has no services: add it\n"},
    {"device: {name: T2}\n", "1:1 error: the definition has no services: add it\n1:1 warning: no central can find this "
                             "device: add advertising: with an interval; or, for a central, scanning:\n"},
    {DEVICE "advertising: [{kind: beacon, interval: 1 s}, {name: x, kind: scannable, interval: 1 s}]\n", ""},
    {DEVICE "scanning: {name: T3}\n", ""},
    {DEVICE "scanning: {name: T3}\nadvertising: [{kind: beacon, interval: 1 s}, {name: x, interval: 1 s}]\n",
     "1:1 error: the definition has no services: add it\n"},
    {"services: []\n" ADVERTISING, "1:1 error: the definition has no device: add it\n"},
    {"device: {}\n" ADVERTISING "services: []\n", "1:1 error: device has no name: add it\n"},
    {"device: T2\n" ADVERTISING "services: []\n", "1:9 error: device must be a mapping of keys to values\n"},
    {"device: {nmae: T2, name: T2}\n" ADVERTISING "services: []\n",
     "1:10 error: this key of device is not known: \"nmae\"; did you mean \"name\"?\n"},
    {"device: {name: T2, xyzzy: 1}\n" ADVERTISING "services: []\n",
     "1:20 error: this key of device is not known: \"xyzzy\"; there are name, appearance, address, "
     "caching, limits, security, link\n"},
    {"device: {name: T2, appearance: 65536}\n" ADVERTISING "services: []\n",
     "1:32 error: appearance must be an adopted name, or a whole number from 0 to 65535, not "
     "\"65536\"\n"},
    {"device: {name: T2, appearance: enormous}\n" ADVERTISING "services: []\n",
     "1:32 error: appearance must be an adopted name, or a whole number from 0 to 65535, not "
     "\"enormous\"\n"},
    {"device: {name: T2, address: randon}\n" ADVERTISING "services: []\n",
     "1:29 error: address is not known: \"randon\"; did you mean \"random\"?\n"},
    {"device: {name: [T2]}\n" ADVERTISING "services: []\n", "1:17 error: name is empty: a single value belongs here\n"},
    {"device: {name: }\n" ADVERTISING "services: []\n", "1:10 error: name is empty: a single value belongs here\n"},
    {DEVICE "services: []\n",
     "1:1 warning: no central can find this device: add advertising: with an interval; or, for a central, scanning:\n"},
    {DEVICE "advertising: {}\nservices: []\n", "2:1 error: advertising has no interval: add it\n"},
    {DEVICE "advertising: {interval: 100}\nservices: []\n",
     "2:25 error: interval must be a time with its unit, such as 100 ms or 1.5 s, not \"100\"\n"},
    {DEVICE "advertising: {interval: 19.375 ms}\nservices: []\n",
     "2:25 error: the advertising interval must be from 20 ms to 10.24 s, or with extended: true up to 71 min, the "
     "minimum first\n"},
    {DEVICE "advertising: {interval: 11 s}\nservices: []\n",
     "2:25 error: the advertising interval must be from 20 ms to 10.24 s, or with extended: true up to 71 min, the "
     "minimum first\n"},
    {DEVICE "advertising: {interval: [150 ms, 100 ms]}\nservices: []\n",
     "2:26 error: the advertising interval must be from 20 ms to 10.24 s, or with extended: true up to 71 min, the "
     "minimum first\n"},
    {DEVICE "advertising: {interval: [100 ms]}\nservices: []\n",
     "2:26 error: interval must be one time, or a list of minimum and maximum\n"},
    {DEVICE "advertising: {interval: 101 ms}\nservices: []\n",
     "2:25 error: the advertising interval goes in steps of 0.625 ms: take a multiple of it\n"},
    {DEVICE "advertising: {interval: 100 ms, services: [batery]}\nservices: []\n",
     "2:44 error: the advertisement promises \"batery\", which is not among the services: add it, or leave it out\n"},
    {"device: {name: A name that is far too long to be found}\n" ADVERTISING "services: []\n",
     "1:16 error: the name needs 41 bytes of the scan response, which has 31 (29 of them for the name): shorten it by "
     "10, or tell its beginning only: data: [flags], response: [{shortened name: 29}]\n"},
    {HEAD "services: {name: s}\n", "3:12 error: services must be a list: begin each item with a dash\n"},
    {HEAD "services:\n  - name: s\n    characteristics: []\n",
     "4:5 error: \"s\" is no adopted name and has no uuid: add a uuid of its own\n"},
    {HEAD "services:\n  - name: s\n    uuid: 18\n    characteristics: []\n",
     "5:11 error: \"18\" is no UUID: write an adopted name, 0x180F, 128 bits as 8-4-4-4-12 digits\n"},
    {HEAD "services:\n  - name: s\n    uuid: Batery\n    characteristics: []\n",
     "5:11 error: no adopted UUID is named \"Batery\"; did you mean \"Battery\"?\n"},
    {HEAD "services:\n  - name: s\n    uuid: 0000180f-0000-1000-8000-00805f9b34fb\n    characteristics: []\n",
     "5:11 error: this UUID lies in the range that the standard keeps for itself: draw a random one\n"},
    {HEAD "services:\n  - name: battery\n    characteristics: []\n  - name: b\n    uuid: 0x180F\n    characteristics: "
          "[]\n",
     "7:11 error: this is also the UUID of the service \"battery\": give each its own\n"},
    {HEAD "services:\n  - name: battery\n    characteristics: []\n  - name: Battery!\n    uuid: 0x1810\n    "
          "characteristics: []\n",
     "6:5 error: the service \"Battery!\" has the same name in C as \"battery\": rename one\n"},
    {HEAD "services:\n  - name: gap\n    uuid: 0x1800\n    characteristics: []\n",
     "5:11 error: the service \"generic access\" is made from device: leave it out\n"},
    {HEAD "services:\n  - name: 9 lives\n    uuid: 0x1810\n    characteristics: []\n",
     "4:11 error: the name \"9 lives\" gives no name in C: begin it with a letter from a to z\n"},
    {WITH("{uuid: +1, format: uint8, read: open, value: 1}"), "7:10 error: a characteristic has no name: add it\n"},
    {WITH("{name: a, format: uint8, read: open, value: 1}"),
     "7:10 error: \"a\" is no adopted name and has no uuid: add a uuid of its own, or an offset such as +1\n"},
    {WITH("{name: a, uuid: +x, format: uint8, read: open, value: 1}"),
     "7:25 error: \"+x\" is no UUID: write an adopted name, 0x180F, 128 bits as 8-4-4-4-12 digits, or an offset such "
     "as "
     "+1\n"},
    {WITH(ONE_VALUE "\n      - {name: b, uuid: +1, format: uint8, read: open, value: 1}"),
     "8:25 error: this is also the UUID of \"a\": give each characteristic its own\n"},
    {WITH(ONE_VALUE "\n      - {name: A, uuid: +2, format: uint8, read: open, value: 1}"),
     "8:16 error: the characteristic \"A\" has the same name in C as \"a\": rename one\n"},
    {HEAD "services:\n  - name: battery\n    characteristics:\n      - " ONE_VALUE "\n",
     "6:25 error: an offset needs a service with a 128-bit UUID: write the whole UUID\n"},
    {WITH("{name: a, uuid: +1, read: open, handler: read}"),
     "7:16 error: \"a\" has no format: add one, such as format: uint16\n"},
    {WITH("{name: a, uuid: +1, format: unit8, resolution: 0.1, read: open, value: 1}"),
     "7:37 error: this format is not known: \"unit8\"; did you mean \"uint8\"?\n"},
    {WITH("{name: a, uuid: +1, format: uint8, unit: newton meter, read: open, value: 1}"),
     "7:50 error: this unit is not known: \"newton meter\"; did you mean \"newton metre\"?\n"},
    {WITH("{name: a, uuid: +1, format: uint8, resolution: 1/3, read: open, value: 1}"),
     "7:56 error: resolution must be what one step is worth, such as 0.1, 0.005, 1000 or 1/1024\n"},
    {WITH("{name: a, uuid: +1, format: utf8s, resolution: 0.1, read: open, value: x}"),
     "7:16 error: \"a\" has a resolution, which only whole numbers have: leave it out\n"},
    {WITH("{name: a, uuid: +1, format: uint48, resolution: 1/16, read: open, value: 1}"),
     "7:16 error: \"a\" is too wide for this resolution: use a format of at most 32 bits, or a power of ten\n"},
    {WITH("{name: a, uuid: +1, format: struct, read: open, handler: read}"),
     "7:16 error: \"a\" is a structure of 0 fields: list 1 to 32 of them\n"},
    {WITH("{name: a, uuid: +1, format: uint8, fields: [{name: x, format: uint8}], read: open, value: 1}"),
     "7:16 error: \"a\" has fields: give it format: struct\n"},
    {WITH("{name: a, uuid: +1, format: struct, read: open, handler: read, fields: [{name: x}]}"),
     "7:82 error: a field has no format: add it\n"},
    {WITH("{name: a, uuid: +1, format: struct, read: open, handler: read, fields: [{name: x, format: struct}]}"),
     "7:88 error: a field cannot be a structure itself: list its fields here\n"},
    {WITH("{name: a, uuid: +1, format: struct, read: open, handler: read, fields:\n"
          "         [{name: x, format: utf8s, length: 4}, {name: X, format: uint8, bits: [q]}, {name: int, format: "
          "bytes}]}"),
     "8:18 error: \"x\" has a variable length: make it the last field\n8:55 error: only flags have bits: give it a "
     "format such as boolean[8]\n8:55 error: the field \"X\" has the same name in C as \"x\": rename one\n8:92 error: "
     "\"int\" has no length: add its number of bytes\n8:92 error: \"int\" is a keyword of C or C++: rename it\n"},
    {WITH("{name: a, uuid: +1, format: struct, read: open, handler: read, fields:\n"
          "         [{name: f, format: \"boolean[8]\", bits: [q, q, r]}, {name: x, format: uint8, when: s},\n"
          "          {name: y, format: uint8, length: 1, unless: r, up to: 0}]}"),
     "8:18 error: \"f\" has two bits \"q\": rename one\n"
     "8:92 error: no flags before it have a bit \"s\": name one of their bits\n"
     "9:44 error: uint8 is always 1 bytes long: leave the length out\n"
     "9:65 error: up to must be a whole number from 1 to 255, not \"0\"\n"},
    {WITH("{name: a, uuid: +1, format: struct, read: open, handler: read, fields:\n"
          "         [{name: x, format: bytes, length: 300}, {name: y, format: bytes, length: 300}]}"),
     "7:16 error: \"a\" can be 600 bytes long: an attribute has at most 512\n"},
    {WITH("{name: a, uuid: +1, format: uint8, length: 2, read: open, value: 1}"),
     "7:52 error: uint8 is always 1 bytes long: leave the length out\n"},
    {WITH("{name: a, uuid: +1, format: utf8s, length: 513, read: open, handler: read}"),
     "7:52 error: length must be a whole number from 1 to 512, not \"513\"\n"},
    {WITH("{name: a, uuid: +1, format: uint8, value: 1}"),
     "7:16 error: \"a\" can be neither read nor written nor notified: add read:, write: or notify:\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open}"),
     "7:16 error: \"a\" has nothing to send: add a value, or handler: read\n"},
    {WITH("{name: a, uuid: +1, format: uint8, write: open}"),
     "7:16 error: a write to \"a\" is lost: add handler: write, or an initial value\n"},
    {WITH("{name: a, uuid: +1, format: uint8, write: open, handler: [write, read]}"),
     "7:67 error: \"a\" has a read handler but no right to read: add read: or notify:\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open, handler: [read, write]}"),
     "7:66 error: \"a\" has a write handler but no right to write: add write:\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: opne, value: 1}"),
     "7:50 error: read is not known: \"opne\"; did you mean \"open\"?\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: encrypted, value: 1}"),
     "7:50 error: \"a\" offers read to encrypted links, but pairing is off: add security to device, or make it open\n"},
    {WITH("{name: a, uuid: +1, format: uint8, write: open, write without response: encrypted, value: 1}"),
     "7:81 error: \"a\" asks for different rights to write with and without response: take the same\n"
     "7:81 error: \"a\" offers write without response to encrypted links, but pairing is off: add security to device, "
     "or make it open\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open, value: 256}"),
     "7:63 error: \"256\" is no value of a (uint8, at most 1 bytes): it does not fit into the format\n"},
    {WITH("{name: a, uuid: +1, format: utf8s, length: 3, read: open, value: abcd}"),
     "7:74 error: \"abcd\" is no value of a (utf8s, at most 3 bytes): it is too long\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open, value: 1, notification spacing: 20 ms}"),
     "7:88 error: notification spacing is the minimum time between notifications: add notify:, or leave it out\n"},
    {WITH("{name: a, uuid: +1, format: uint8, notify: open, value: 1, notification spacing: 61 s}"),
     "7:90 error: notification spacing must be whole milliseconds, at most 60 s\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open, handler: reed}"),
     "7:65 error: handler is not known: \"reed\"; did you mean \"read\"?\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open, value: 1, simulate: {shape: ramp, from: 1, to: 1}}"),
     "7:77 error: from must be less than to\n7:77 error: simulate needs a period\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open, value: 1, simulate: {shape: sine, from: 1, to: 300}}"),
     "7:77 error: to: \"300\" is no value of a: it does not fit into the format\n7:77 error: simulate needs a "
     "period\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open, value: 1, simulate: {shape: random walk, from: 1, to: 3}}"),
     "7:77 error: simulate needs step:\n"},
    {WITH("{name: a, uuid: +1, format: utf8s, read: open, value: x, simulate: {shape: constant, from: 1}}"),
     "7:77 error: only numbers can be simulated: give \"a\" a value\n"},
    {HEAD "services:\n  - {name: heart rate, characteristics: []}\n",
     "4:6 warning: the service Heart Rate must have the characteristic Heart Rate Measurement (0x2A37): add it\n"
     "4:6 advice: \"heart rate\" is not advertised: a central that looks for it by its UUID will not find this "
     "device\n"},
    {DEVICE "advertising: {interval: 1 s, services: [s]}\n"
            "services:\n"
            "  - {name: s, uuid: " LONG ", includes: [t], characteristics: [" ONE_VALUE "]}\n"
            "  - {name: t, uuid: 6f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52, secondary: true, characteristics: [\n"
            "     {name: b, uuid: 5f8d0001-2b1c-4e6f-9a37-d4c1e07b6a52, format: uint8, read: open, value: 1}]}\n",
     "6:22 warning: this is also the UUID of \"a\" in the service \"s\": give each its own\n"},
    {WITH("{name: x, uuid: +1, format: uint8, notify: open, handler: read}\n"
          "      - {name: x configuration, uuid: +2, format: uint8, read: open, value: 1}\n"
          "      - {name: s service, uuid: +0x3, format: uint8, read: open, value: 1}"),
     "8:16 error: \"x configuration\" gives YARD_X_CONFIGURATION in C, as \"x\" does: rename one\n"
     "9:16 error: \"s service\" gives YARD_S_SERVICE in C, as \"s\" does: rename one\n"},
    {WITH("{name: a, uuid: +1, format: 'boolean[8]', bits: [b], read: open, handler: read}\n"
          "      - {name: a b, uuid: +2, format: 'boolean[8]', bits: [\xc3\xa9, \xc3\xbc], read: open, handler: read}\n"
          "      - {name: table h, uuid: +3, format: uint8, read: open, value: 1}\n"
          "      - {name: values size, uuid: +4, format: uint8, read: open, write: open, value: 1}\n"
          "      - {name: descriptor 18, uuid: +5, format: uint8, read: open, value: 1, description: d}\n"
          "      - {name: x, uuid: +6, format: uint8, range: [0, 9], read: open, value: 1}\n"
          "      - {name: x min, uuid: +7, format: uint8, read: open, value: 1}"),
     "8:16 error: \"a b\" gives YARD_A_B in C, as \"b\" does: rename one\n"
     "8:16 error: \"\xc3\xbc\" gives YARD_A_B_ in C, as \"\xc3\xa9\" does: rename one\n"
     "9:16 error: \"table h\" gives YARD_TABLE_H in C, which the table needs itself: rename it\n"
     "10:16 error: \"values size\" gives YARD_VALUES_SIZE in C, which the table needs itself: rename it\n"
     "13:16 error: \"x min\" gives YARD_X_MIN in C, as \"x\" does: rename one\n"},
    {WITH("{name: a, uuid: +1, format: struct, read: open, handler: read, fields: [\n"
          "        {name: x count, format: uint8}, {name: n, format: uint8}, {name: x, format: uint8, up to: 3}]}\n"
          "      - {name: b, uuid: +2, format: struct, read: open, handler: read, fields: [\n"
          "        {name: x length, format: uint8}, {name: linux, format: uint8}, {name: x, format: utf8s, length: "
          "3}]}"),
     "8:74 error: the field \"x\" has the same name in C as \"x count\": rename one\n"
     "10:49 error: \"linux\" is a keyword of C or C++: rename it\n"
     "10:79 error: the field \"x\" has the same name in C as \"x length\": rename one\n"},
    {WITH("{name: a, uuid: +8, format: uint8, read: open, value: 1}\n"
          "      - {name: b, uuid: +010, format: uint8, read: open, value: 1}"), /* ten, not eight */
     ""},
    {WITH("{name: a, uuid: +1, format: sint64, read: open, value: 1, simulate: {shape: constant, from: 1}}"),
     "7:78 error: only numbers of at most 48 bits can be simulated: give \"a\" a value\n"},
    {WITH("{name: a, uuid: +1, format: utf8s, length: 21, notify: open, notification spacing: 1 s, handler: read}"),
     "7:16 advice: \"a\" can be 21 bytes long: a central that keeps the MTU of 23 is sent the first 20\n"},
    {HEAD "services:\n"
          "  - {name: a, uuid: " LONG ", includes: [b, c], characteristics: []}\n"
          "  - {name: b, uuid: 6f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52, includes: [a], characteristics: []}\n"
          "  - {name: d, uuid: 7f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52, secondary: maybe, characteristics: []}\n",
     "4:70 error: \"a\" includes itself, directly or indirectly: remove that\n4:73 error: \"c\" is not among the "
     "services: add it, or leave it out\n5:70 error: \"b\" includes itself, directly or indirectly: remove that\n6:70 "
     "error: secondary is not known: \"maybe\"; there are true, false\n"},
    {DEVICE "advertising: {interval: 1 s, services: [d]}\n"
            "services:\n  - {name: d, uuid: " LONG ", secondary: true, characteristics: []}\n",
     "2:41 error: \"d\" is secondary, and not searched for: remove it\n4:6 warning: \"d\" is secondary, and no service "
     "includes it: no client will find it\n"},
    {WITH("{name: a, uuid: +1, format: bytes, length: 2, read: open, handler: read, presentation format: true}"),
     "7:103 error: a presentation format cannot describe bytes: remove it, or use an adopted format\n"},
    {WITH("{name: a, uuid: +1, format: uint8, resolution: 0.5, read: open, handler: read, presentation format: true}"),
     "7:109 error: a presentation format can only describe powers of ten: remove it\n"},
    {WITH("{name: a, uuid: +1, format: uint8, read: open, value: 1, descriptors: [{uuid: 0x2902, value: 00 00},\n"
          "        {uuid: 0x2906, value: zero}, {value: 00}]}"),
     "7:81 error: 0x2902 is made from other keys (notify, description, presentation format, range, broadcast, reliable "
     "write) or is the table itself: leave it out\n"
     "8:10 error: 0x2906 is made from other keys (notify, description, presentation format, range, broadcast, reliable "
     "write) or is the table itself: leave it out\n"
     "8:31 error: \"zero\" is no value of a descriptor (bytes, at most 512 bytes): it is not pairs of hexadecimal "
     "digits\n"
     "8:39 error: a descriptor has no uuid: add it\n"},
    {WITH("{name: &x a, uuid: *x, format: uint8, read: open, value: 1}"),
     "7:29 error: uuid is an alias: write its value here\n"},
};

/* Vol 3 Part C 12.1. */
static void what_is_wrong_is_said_with_its_place_and_remedy(void **state)
{
    (void)state;
    assert_wrong(wrong, COUNT(wrong));
}

/* 1,024 that notify, and 16 ways to advertise, are the most that a host can be compiled for. */
static void what_no_host_has_room_for_is_refused(void **state)
{
    static char text[200000];
    (void)state;
    for (unsigned more = 0; more < 2; more++) {
        size_t length = (size_t)snprintf(text, sizeof text, "%s", DEVICE "advertising:\n");
        for (unsigned i = 0; i < 16; i++)
            length += (size_t)snprintf(text + length, sizeof text - length,
                                       "  - {name: a%u, extended: true, kind: beacon, interval: 1 s}\n", i);
        length += (size_t)snprintf(text + length, sizeof text - length,
                                   "services:\n  - name: s\n    uuid: " LONG "\n    characteristics:\n");
        for (unsigned i = 0; i < 1024 + more; i++)
            length += (size_t)snprintf(text + length, sizeof text - length,
                                       "      - {name: c%u, uuid: +%u, format: uint8, notify: open, notification "
                                       "spacing: 1 s, handler: read}\n",
                                       i, i + 1);
        struct ys_design *design = read_text(text);
        char *findings = all_findings(design);
        assert_int_equal(design->findings.errors, more);
        if (more > 0) {
            assert_non_null(
                strstr(findings, "\"c1024\" is the 1025th that notifies or indicates: a host has at most 1024"));
        }
        free(findings);
        ys_design_free(design);
    }
}

/* Whatever there is much of, it is checked, or refused, in a time that grows with it and no faster. */
static void much_of_anything_takes_no_long_time(void **state)
{
    static const struct {
        const char *before;
        const char *each; /* with its number in it */
        const char *behind;
    } much[] = {
        {HEAD "services:\n", "- {name: s%u, uuid: " LONG ", characteristics: []}\n", ""},
        {HEAD "services:\n- name: s\n  uuid: " LONG "\n  characteristics:\n", "  - {name: c%u, uuid: +1}\n", ""},
        {HEAD "services:\n- name: s\n", "  k%u: 1\n", ""},
        {HEAD "services:\n- name: s\n", "  name: s%u\n", ""},
        {HEAD "services: []\nx: [", "&a%u b, ", "]\n"},
        {HEAD "services:\n- name: s\n  uuid: " LONG
              "\n  characteristics:\n  - {name: c, uuid: +1, format: 'boolean[8]', "
              "bits: [",
         "b%u, ", "]}\n"},
        {HEAD "services:\n- name: s\n  uuid: " LONG "\n  characteristics:\n  - {name: c, uuid: +1, format: struct, "
              "fields: [",
         "{name: f%u, format: uint8}, ", "]}\n"},
        {DEVICE "services: []\nadvertising:\n", "- {name: s%u, interval: 1 s}\n", ""},
        {DEVICE "services: []\nadvertising: {interval: 1 s, data: [", "interval, ", "]}\n"},
        {DEVICE "services: []\nadvertising: {interval: 1 s, services: [", "s%u, ", "]}\n"},
    };
    static char text[3000000];
    (void)state;
    for (size_t i = 0; i < COUNT(much); i++) {
        size_t length = (size_t)sprintf(text, "%s", much[i].before);
        for (unsigned j = 0; j < 30000; j++)
            length += (size_t)sprintf(text + length, much[i].each, j);
        (void)strcat(text + length, much[i].behind);
        clock_t before = clock();
        struct ys_design *design = read_text(text);
        assert_true(design->findings.errors > 0);
        ys_design_free(design);
        if (clock() - before > 20 * CLOCKS_PER_SEC) /* it takes less than a second; sanitizers, and bad days */
            fail_msg("%s... takes long", much[i].each);
    }
}

static void what_is_no_yaml_is_said_where_it_breaks(void **state)
{
    static const struct {
        const char *text;
        int line;
    } cases[] = {{"device: {name: T2\n", 2}, {"device:\n\tname: T2\n", 2}, {"a: [1, 2\nb: 3\n", 2}, {"\"", 1}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_design *design = read_text(cases[i].text);
        assert_int_equal(design->findings.count, 1);
        assert_int_equal(design->findings.errors, 1);
        assert_in_range(design->findings.items[0].place.line, cases[i].line - 1, cases[i].line + 1);
        assert_memory_equal(design->findings.items[0].text, "this is not YAML: ", 18);
        ys_design_free(design);
    }
}

static void everything_wrong_is_found_in_one_run(void **state)
{
    struct ys_design *design = read_text("device: {nam: T2}\nadvertising: {interval: 1 ms}\nservices:\n"
                                         "  - {name: s, uuid: 1, characteristics: [{name: a}]}\n");
    (void)state;
    assert_true(design->findings.errors >= 5);
    for (size_t i = 1; i < design->findings.count; i++) /* in the order of the file */
        assert_true(design->findings.items[i - 1].place.line <= design->findings.items[i].place.line);
    ys_design_free(design);
}

static void the_files_name_must_give_a_name_in_c(void **state)
{
    static const struct {
        const char *file;
        const char *id;
    } cases[] = {{"a/b/torque-wrench.device.yaml", "torque_wrench"},
                 {"Crib 7.device.yaml", "crib_7"},
                 {"7.device.yaml", NULL},
                 {"int.device.yaml", "int"}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const char *text = HEAD "services: []\n";
        struct ys_design *design = ys_design_read(cases[i].file, text, strlen(text), NULL, NULL);
        if (cases[i].id != NULL)
            assert_string_equal(design->id, cases[i].id);
        assert_int_equal(design->findings.errors, i < 2 ? 0 : 1);
        ys_design_free(design);
    }
}

/* values */

static struct ys_field field_of(const char *format, const char *unit, int exponent)
{
    return (struct ys_field){.format = ys_format_find(format),
                             .unit = unit != NULL ? ys_unit_find(unit) : NULL,
                             .exponent = exponent,
                             .length = {.number = 20}};
}

static void values_are_shown_and_read_back(void **state)
{
    static const struct {
        const char *format;
        const char *unit;
        int exponent;
        const char *hex;
        const char *text;
        const char *written; /* NULL: the same */
    } cases[] = {
        {"uint8", "percentage", 0, "57", "87 %", NULL},
        {"uint8", NULL, 0, "ff", "255", NULL},
        {"sint8", NULL, 0, "80", "-128", NULL},
        {"sint16", "newton metre", -1, "a501", "42.1 N m", NULL},
        {"sint16", "newton metre", -1, "5bfe", "-42.1 N m", NULL},
        {"sint16", "newton metre", -1, "ffff", "-0.1 N m", NULL},
        {"sint16", "newton metre", -1, "0000", "0.0 N m", NULL},
        {"sint16", "degree Celsius", -2, "6c09",
         "24.12 \xc2\xb0"
         "C",
         NULL},
        {"uint16", "newton metre", -1, "a401", "42.0 N m", "42"},
        {"uint32", "pascal", -1, "cf760f00", "101345.5 Pa", "101345.5"},
        {"uint24", NULL, 2, "010000", "100", NULL},
        {"uint16", NULL, 2, "0000", "0", NULL},
        {"sint24", NULL, -3, "ffffff", "-0.001", NULL},
        {"sint48", NULL, 0, "000000000080", "-140737488355328", NULL},

        {"uint48", NULL, -9, "ffffffffffff", "281474.976710655", NULL},
        {"boolean", NULL, 0, "01", "true", NULL},
        {"boolean", NULL, 0, "00", "false", NULL},
        {"utf8s", NULL, 0, "5432", "\"T2\"", "T2"},
        {"utf8s", NULL, 0, "", "\"\"", ""},
        {"utf8s", NULL, 0, "610a22", "\"a\\x0a\\x22\"", "a\n\""},
        {"bytes", NULL, 0, "0102ff", "01 02 ff", NULL},
        {"bytes", NULL, 0, "0102ff", "01 02 ff", "0102FF"},
        {"bytes", NULL, 0, "", "", NULL},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const struct ys_field one = field_of(cases[i].format, cases[i].unit, cases[i].exponent);
        uint8_t bytes[64];
        char text[96];
        const char *problem = NULL;
        size_t length = from_hex(cases[i].hex, bytes, sizeof bytes);
        ys_value_format(&one, bytes, length, text, sizeof text);
        assert_string_equal(text, cases[i].text);
        memset(bytes, 0xee, sizeof bytes);
        int again = ys_value_parse(&one, cases[i].written != NULL ? cases[i].written : text, bytes, 32, &problem);
        assert_int_equal(again, length);
        assert_hex(bytes, length, cases[i].hex);
    }
}

static void values_that_are_none_are_refused_with_a_reason(void **state)
{
    static const struct {
        const char *format;
        int exponent;
        const char *text;
        const char *problem;
    } cases[] = {
        {"uint8", 0, "", "it is not a number"},
        {"uint8", 0, "x", "it is not a number"},
        {"uint8", 0, "1.", "it is not a number"},
        {"uint8", 0, "1234567890123456789", "it is not a number"},
        {"uint8", 0, "-1", "it does not fit into the format"},
        {"uint8", 0, "256", "it does not fit into the format"},
        {"sint8", 0, "-129", "it does not fit into the format"},
        {"uint8", 0, "0.5", "it is finer than the resolution"},
        {"uint16", -1, "0.05", "it is finer than the resolution"},
        {"uint16", 1, "15", "it is finer than the resolution"},
        {"uint32", -9, "999999999999999999", "it does not fit into the format"},
        {"uint8", 0, "5 bananas", "the unit is wrong"},
        {"boolean", 0, "yes", "it is neither true nor false"},
        {"bytes", 0, "0", "it is not pairs of hexadecimal digits"},
        {"bytes", 0, "0g", "it is not pairs of hexadecimal digits"},
        {"bytes", 0, "00 11 22 33 44", "it is too long"},
        {"utf8s", 0, "12345", "it is too long"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const struct ys_field one = field_of(cases[i].format, NULL, cases[i].exponent);
        uint8_t bytes[8];
        const char *problem = NULL;
        assert_int_equal(ys_value_parse(&one, cases[i].text, bytes, 4, &problem), -1);
        assert_string_equal(problem, cases[i].problem);
    }
}

/* However much room there is after it. */
static void what_is_longer_than_its_field_is_refused(void **state)
{
    static const char *const cases[][2] = {{"bytes", "0011223344"}, {"utf8s", "12345"}, {"utf16s", "123"}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_field one = field_of(cases[i][0], NULL, 0);
        uint8_t bytes[8];
        const char *problem = NULL;
        assert_true(ys_value_parse(&one, cases[i][1], bytes, sizeof bytes, &problem) > 4);
        one.length.number = 4;
        assert_int_equal(ys_value_parse(&one, cases[i][1], bytes, sizeof bytes, &problem), -1);
        assert_non_null(strstr(problem, "too long"));
    }
}

static void bytes_that_do_not_fit_the_format_are_said_not_to(void **state)
{
    const struct ys_field one = field_of("sint16", NULL, 0);
    char text[64];
    (void)state;
    ys_value_format(&one, (const uint8_t *)"abc", 3, text, sizeof text);
    assert_string_equal(text, "3 bytes where sint16 has 2");
    ys_value_format(&one, (const uint8_t *)"abc", 2, text, 4);
    assert_string_equal(text, "251"); /* cut off, and ended */
    const struct ys_field words = field_of("utf8s", NULL, 0);
    char small[12];
    ys_value_format(&words, (const uint8_t *)"a longer text than fits", 23, small, sizeof small);
    assert_true(strlen(small) < sizeof small);
    assert_memory_equal(small, "\"a lon", 6);
}

static void steps_need_not_be_powers_of_ten(void **state)
{
    static const struct {
        int64_t multiplier;
        int exponent;
        int halvings;
        const char *hex;
        const char *text;
    } cases[] = {
        {5, -3, 0, "983a", "75.000"}, {5, -3, 0, "0100", "0.005"},        {1, 0, 10, "0002", "0.5"},
        {1, 0, 10, "0004", "1"},      {1, 0, 10, "0100", "0.0009765625"}, {1, 0, 6, "9a03", "14.40625"},
        {5, -1, 0, "0b00", "5.5"},    {1, 0, 8, "ffff", "255.99609375"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_field one = field_of("uint16", NULL, cases[i].exponent);
        uint8_t bytes[2];
        char text[64];
        const char *problem = "";
        one.multiplier = cases[i].multiplier;
        one.halvings = cases[i].halvings;
        (void)from_hex(cases[i].hex, bytes, sizeof bytes);
        ys_value_format(&one, bytes, 2, text, sizeof text);
        assert_string_equal(text, cases[i].text);
        memset(bytes, 0, sizeof bytes);
        assert_int_equal(ys_value_parse(&one, text, bytes, 2, &problem), 2);
        assert_hex(bytes, 2, cases[i].hex);
    }
    struct ys_field five = field_of("uint16", NULL, -3);
    uint8_t bytes[2];
    const char *problem = "";
    five.multiplier = 5;
    assert_int_equal(ys_value_parse(&five, "0.006", bytes, 2, &problem), -1);
    assert_string_equal(problem, "it is finer than the resolution");
}

/* words */

static void the_nearest_word_is_what_was_meant(void **state)
{
    static const char *const words[] = {"name", "uuid", "format", "write without response"};
    static const struct {
        const char *word;
        const char *nearest;
    } cases[] = {{"nmae", "name"},
                 {"nam", "name"},
                 {"uiud", "uuid"},
                 {"fromat", "format"},
                 {"x", NULL},
                 {"something else", NULL},
                 {"write witout response", "write without response"}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const char *nearest = ys_word_nearest(cases[i].word, words, COUNT(words));
        if (cases[i].nearest == NULL)
            assert_null(nearest);
        else
            assert_string_equal(nearest, cases[i].nearest);
    }
    assert_int_equal(ys_word_distance("kitten", "sitting"), 3);
    assert_int_equal(ys_word_distance("", "abc"), 3);
    assert_int_equal(ys_word_distance("ab", "ba"), 1);
}

static void durations_need_a_unit_and_are_exact(void **state)
{
    static const struct {
        const char *text;
        bool good;
        uint64_t us;
    } cases[] = {
        {"100 ms", true, 100000},   {"100ms", true, 100000}, {"1.5 s", true, 1500000}, {"0.625 ms", true, 625},
        {"2 min", true, 120000000}, {"0 s", true, 0},        {"250 us", true, 250},    {"1 h", true, 3600000000},
        {"0.5 us", false, 0},       {"100", false, 0},       {"ms", false, 0},         {"-1 s", false, 0},
        {"1 ns", false, 0},         {"1 s x", false, 0},     {"", false, 0},           {"99999999999 h", false, 0}};
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        uint64_t us = 0;
        assert_int_equal(ys_duration_parse(cases[i].text, &us), cases[i].good);
        if (cases[i].good)
            assert_int_equal(us, cases[i].us);
    }
}

/* layout and payload */

/* Vol 3 Part C 12.2. */
static void a_definition_is_laid_out_in_the_order_of_handles(void **state)
{
    struct ys_design *design =
        read_text(WITH("{name: a, uuid: +1, format: uint16, read: open, write: open, notify: open, value: 5}\n"
                       "      - {name: b, uuid: 0x2A19, write without response: open, handler: write}"));
    static const struct {
        enum ys_attribute_kind kind;
        const char *value; /* NULL: not constant */
        uint16_t size;
    } expected[] = {
        {YS_ATTRIBUTE_SERVICE, "0018", 2},
        {YS_ATTRIBUTE_CHARACTERISTIC, "02 0300 002a", 5},
        {YS_ATTRIBUTE_VALUE, "5432", 2},
        {YS_ATTRIBUTE_CHARACTERISTIC, "02 0500 012a", 5},
        {YS_ATTRIBUTE_VALUE, "0000", 2},
        {YS_ATTRIBUTE_SERVICE, "0118", 2},
        {YS_ATTRIBUTE_SERVICE, "526a7be0c1d4379a6f4e1c2b00008d5f", 16},
        {YS_ATTRIBUTE_CHARACTERISTIC, "1a 0900 526a7be0c1d4379a6f4e1c2b01008d5f", 19},
        {YS_ATTRIBUTE_VALUE, NULL, 2},
        {YS_ATTRIBUTE_CONFIGURATION, NULL, 2},
        {YS_ATTRIBUTE_CHARACTERISTIC, "04 0c00 192a", 5},
        {YS_ATTRIBUTE_VALUE, NULL, 1},
    };
    (void)state;
    char *findings = all_findings(design);
    assert_string_equal(findings, "");
    free(findings);
    struct ys_layout *layout = ys_layout_new(design);
    assert_int_equal(layout->count, COUNT(expected));
    assert_int_equal(layout->notifiable_count, 1);
    assert_int_equal(layout->long_uuid_count, 2);
    assert_int_equal(layout->values_size, 4);
    for (size_t i = 0; i < COUNT(expected); i++) {
        uint8_t bytes[64];
        int length = ys_row_value(layout, i, bytes, sizeof bytes);
        assert_int_equal(layout->rows[i].kind, expected[i].kind);
        assert_int_equal(layout->rows[i].size, expected[i].size);
        if (expected[i].value == NULL)
            assert_int_equal(length, -1);
        else
            assert_hex(bytes, (size_t)length, expected[i].value);
    }
    assert_int_equal(layout->rows[6].last_handle, 12);
    assert_int_equal(layout->rows[8].stored_at, 0);
    assert_int_equal(layout->rows[11].stored_at, YS_NONE);
    ys_layout_free(layout);
    ys_design_free(design);
}

/* Core 5.4 Vol 3 Part G, appendix B: the example of the standard (Vol 3 Part G 7.3.1). */
static void the_database_hash_is_that_of_the_standards_example(void **state)
{
    static const struct {
        uint16_t handle;
        uint16_t type;
        const char *value;
    } example[] = {
        {0x01, 0x2800, "0018"},           {0x02, 0x2803, "0a 0300 002a"}, {0x04, 0x2803, "02 0500 012a"},
        {0x06, 0x2800, "0118"},           {0x07, 0x2803, "20 0800 052a"}, {0x09, 0x2902, ""},
        {0x0a, 0x2803, "0a 0b00 292b"},   {0x0c, 0x2803, "02 0d00 2a2b"}, {0x0e, 0x2800, "0818"},
        {0x0f, 0x2802, "1400 1600 0f18"}, {0x10, 0x2803, "a2 1100 182a"}, {0x12, 0x2902, ""},
        {0x13, 0x2900, "0000"},           {0x14, 0x2801, "0f18"},         {0x15, 0x2803, "02 1600 192a"},
    };
    struct ys_hashed attributes[COUNT(example)];
    uint8_t values[COUNT(example)][8];
    uint8_t hash[16];
    (void)state;
    for (size_t i = 0; i < COUNT(example); i++)
        attributes[i] = (struct ys_hashed){.handle = example[i].handle,
                                           .type = example[i].type,
                                           .value = values[i],
                                           .length = from_hex(example[i].value, values[i], 8)};
    assert_true(ys_database_hash(attributes, COUNT(example), hash));
    assert_hex(hash, 16, "f1ca2d48ecf58bac8a8830bbb9fba990");
}

/* Of a definition, the same as of its attributes by hand; and another as soon as one of them changes. */
static void the_hash_of_a_definition_changes_with_its_table_only(void **state)
{
    static const char *const texts[] = {
        WITH("{name: a, uuid: +1, format: uint8, read: open, notify: open, value: 1}"),
        WITH("{name: b, uuid: +1, format: uint16, read: open, notify: open, value: 7}"), /* the same table */
        WITH("{name: a, uuid: +2, format: uint8, read: open, notify: open, value: 1}"),
        WITH("{name: a, uuid: +1, format: uint8, read: open, value: 1}"),
    };
    uint8_t hashes[COUNT(texts)][16];
    (void)state;
    for (size_t i = 0; i < COUNT(texts); i++) {
        struct ys_design *design = read_text(texts[i]);
        struct ys_layout *layout = ys_layout_new(design);
        assert_true(ys_layout_hash(layout, hashes[i]));
        ys_layout_free(layout);
        ys_design_free(design);
    }
    assert_memory_equal(hashes[0], hashes[1], 16);
    assert_memory_not_equal(hashes[0], hashes[2], 16);
    assert_memory_not_equal(hashes[0], hashes[3], 16);
    const struct ys_hashed by_hand[] = {
        {1, 0x2800, (const uint8_t *)"\x00\x18", 2},
        {2, 0x2803, (const uint8_t *)"\x02\x03\x00\x00\x2a", 5},
        {4, 0x2803, (const uint8_t *)"\x02\x05\x00\x01\x2a", 5},
        {6, 0x2800, (const uint8_t *)"\x01\x18", 2},
        {7, 0x2800, (const uint8_t *)"\x52\x6a\x7b\xe0\xc1\xd4\x37\x9a\x6f\x4e\x1c\x2b\x00\x00\x8d\x5f", 16},
        {8, 0x2803, (const uint8_t *)"\x12\x09\x00\x52\x6a\x7b\xe0\xc1\xd4\x37\x9a\x6f\x4e\x1c\x2b\x01\x00\x8d\x5f",
         19},
        {10, 0x2902, NULL, 0},
    };
    uint8_t hash[16];
    assert_true(ys_database_hash(by_hand, COUNT(by_hand), hash));
    assert_memory_equal(hash, hashes[0], 16);
}

/* Vol 3 Part C 9.2.2, 9.2.4; CSS Part A 1.1, 1.2, 1.3. */
static void the_payload_has_flags_services_and_the_name(void **state)
{
    struct ys_design *design = read_text(DEVICE "advertising: {interval: 100 ms, services: [battery, s]}\n"
                                                "services:\n"
                                                "  - {name: s, uuid: " LONG ", characteristics: []}\n"
                                                "  - {name: battery, characteristics: []}\n");
    (void)state;
    assert_int_equal(design->findings.errors, 0);
    struct ys_payload payload = ys_payload_compose(design, design->sets);
    assert_hex(payload.data, payload.data_length, "020106 03030f18 1107526a7be0c1d4379a6f4e1c2b00008d5f");
    assert_hex(payload.response, payload.response_length, "03095432");
    ys_design_free(design);
}

static void services_that_do_not_fit_are_said_with_their_budget(void **state)
{
    struct ys_design *design =
        read_text(DEVICE "advertising: {interval: 100 ms, services: [s, t]}\n"
                         "services:\n"
                         "  - {name: s, uuid: " LONG ", characteristics: []}\n"
                         "  - {name: t, uuid: 6f8d0000-2b1c-4e6f-9a37-d4c1e07b6a52, characteristics: []}\n");
    (void)state;
    assert_int_equal(design->findings.errors, 1);
    assert_string_equal(
        design->findings.items[0].text,
        "the advertisement needs 37 bytes (3 of flags, the rest for services) and has 31: promise fewer "
        "services");
    ys_design_free(design);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_is_wrong_is_said_with_its_place_and_remedy),
        cmocka_unit_test(what_no_host_has_room_for_is_refused),
        cmocka_unit_test(much_of_anything_takes_no_long_time),
        cmocka_unit_test(what_is_no_yaml_is_said_where_it_breaks),
        cmocka_unit_test(everything_wrong_is_found_in_one_run),
        cmocka_unit_test(the_files_name_must_give_a_name_in_c),
        cmocka_unit_test(values_are_shown_and_read_back),
        cmocka_unit_test(values_that_are_none_are_refused_with_a_reason),
        cmocka_unit_test(steps_need_not_be_powers_of_ten),
        cmocka_unit_test(what_is_longer_than_its_field_is_refused),
        cmocka_unit_test(bytes_that_do_not_fit_the_format_are_said_not_to),
        cmocka_unit_test(the_nearest_word_is_what_was_meant),
        cmocka_unit_test(durations_need_a_unit_and_are_exact),
        cmocka_unit_test(a_definition_is_laid_out_in_the_order_of_handles),
        cmocka_unit_test(the_database_hash_is_that_of_the_standards_example),
        cmocka_unit_test(the_hash_of_a_definition_changes_with_its_table_only),
        cmocka_unit_test(the_payload_has_flags_services_and_the_name),
        cmocka_unit_test(services_that_do_not_fit_are_said_with_their_budget),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
