/* damage SEED IN OUT: writes a capture again as a recorder in a bad place would have it: packets are missing, come
 * twice, late, cut, on another channel or with other bits, which its CRC may or may not tell. What is damaged, and how
 * often, the seed says; the same seed does the same damage. For tests that want much odd traffic. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/file/reader.h"
#include "capture/file/writer.h"

static uint32_t state;

/* A number below `limit`. */
static uint32_t chance(uint32_t limit)
{
    state ^= state << 13;
    state ^= state >> 17;
    state ^= state << 5;
    return state % limit;
}

/* Changes a byte or two; in most packets that hold one, the begin, where the fields are. */
static void bend(uint8_t *bytes, size_t length)
{
    for (uint32_t left = 1 + chance(2); left > 0 && length > 0; left--) {
        uint32_t at = chance((uint32_t)(chance(3) > 0 && length > 16 ? 16 : length));
        static const uint8_t values[] = {0x00, 0x01, 0x7f, 0x80, 0xff};
        bytes[at] = chance(2) > 0 ? bytes[at] ^ (uint8_t)(1u << chance(8)) : values[chance(sizeof values)];
    }
}

static void on_the_air(struct ys_record *record, uint32_t way)
{
    struct ys_air_packet *air = &record->air;
    switch (way) {
    case 0:
        bend(air->pdu, air->length);
        break;
    case 1:
        bend(air->pdu, air->length);
        air->crc_good = false;
        break;
    case 2:
        air->channel = (uint8_t)chance(40);
        break;
    case 3:
        air->length = (uint16_t)chance(air->length + 1u);
        break;
    case 4:
        air->phy = (enum ys_phy)chance(3);
        break;
    case 5:
        air->access_address ^= 1u << chance(32);
        break;
    default:
        air->start_ns += 1000 * (uint64_t)chance(400);
        record->at_ns = air->start_ns;
        break;
    }
}

int main(int count, char **arguments)
{
    static uint8_t bytes[1u << 16];
    char error[200];
    if (count != 4)
        return 2;
    state = (uint32_t)strtoul(arguments[1], NULL, 10) * 2654435761u | 1;
    uint32_t missing = chance(2) > 0 ? 8 + chance(30) : 1u << 30;
    uint32_t bent = chance(3) > 0 ? 3 + chance(40) : 1u << 30;
    uint32_t ways = 1 + chance(7);
    struct ys_capture *in = ys_capture_open(arguments[2], false, NULL, NULL, error, sizeof error);
    struct ys_capture_writer *out = in != NULL ? ys_capture_create(arguments[3], true, error, sizeof error) : NULL;
    if (in == NULL || out == NULL) {
        fprintf(stderr, "%s\n", error);
        return 2;
    }
    struct ys_record record;
    uint64_t first_ns = 0;
    uint64_t last_ns = 0;
    while (ys_capture_next(in, &record)) {
        first_ns = first_ns == 0 ? record.at_ns : first_ns;
        last_ns = record.at_ns;
        if (chance(missing) == 0)
            continue;
        if (chance(bent) == 0 && record.kind == YS_RECORD_AIR)
            on_the_air(&record, chance(ways));
        else if (chance(bent) == 0 && record.length <= sizeof bytes) {
            memcpy(bytes, record.bytes, record.length);
            bend(bytes + 1, record.length - 1);
            record.bytes = bytes;
        }
        ys_capture_write(out, &record);
        if (chance(missing) == 0)
            ys_capture_write(out, &record);
    }
    ys_capture_free(in);
    return ys_capture_close(out, first_ns, last_ns, error, sizeof error) ? 0 : 2;
}
