/* snoop: a header of 16 bytes, then records with one of 24; times in microseconds since the year 0, as those count who
 * write it. */
#include "capture/file/snoop.h"

#include <string.h>

#include "capture/file/link_types.h"
#include "wire/hci.h"

#define SNOOP_YEAR_1970 UINT64_C(62168256000000000)

/* Kinds of it: the packets have no type, which their flags tell, or have one. */
enum snoop { SNOOP_BARE = 1001, SNOOP_TYPED = 1002 };

static uint8_t type_of(uint32_t flags)
{
    return (flags & 2) == 0 ? YS_HCI_DATA : (flags & 1) != 0 ? YS_HCI_EVENT : YS_HCI_COMMAND;
}

static step next_snoop(struct ys_capture *capture, struct ys_record *record)
{
    uint8_t header[24];
    size_t got = 0;
    if (!ys_cursor_fetch(capture, header, sizeof header, &got))
        return ys_cursor_give_back(capture, got);
    uint32_t flags = ys_cursor_u32(capture, header + 8);
    uint64_t at_us = (uint64_t)ys_cursor_u32(capture, header + 16) << 32 | ys_cursor_u32(capture, header + 20);
    uint64_t at_ns = (at_us > SNOOP_YEAR_1970 ? at_us - SNOOP_YEAR_1970 : at_us) * 1000;
    record->device = 1;
    record->name = NULL;
    capture->prefix = capture->bare ? type_of(flags) : 0;
    uint32_t dropped = ys_cursor_u32(capture, header + 12);
    if (dropped > 0)
        ys_capture_tell(capture, TROUBLE_DROPPED, ": %u so far", dropped);
    step taken = ys_cursor_record(capture, capture->interfaces->link_type, ys_cursor_u32(capture, header + 4), at_ns,
                                  &got, record);
    if (taken == STEP_RECORD) {
        record->to_host = (flags & 1) != 0;
        record->direction_is_sure = true;
        record->lost = dropped != capture->dropped;
        capture->dropped = dropped;
    }
    capture->offset += taken != STEP_END ? got : 0;
    return taken;
}

bool ys_snoop_begin(struct ys_capture *capture, const uint8_t magic[4])
{
    static const uint8_t wanted[8] = {'b', 't', 's', 'n', 'o', 'o', 'p', 0};
    uint8_t rest[12];
    size_t got = 0;
    if (memcmp(magic, wanted, 4) != 0 || !ys_cursor_fetch(capture, rest, sizeof rest, &got) ||
        memcmp(rest, wanted + 4, 4) != 0)
        return false;
    capture->big = true;
    capture->next = next_snoop;
    uint32_t kind = ys_cursor_u32(capture, rest + 8);
    bool known = kind == SNOOP_BARE || kind == SNOOP_TYPED;
    capture->bare = kind == SNOOP_BARE;
    capture->interfaces[0] = (struct interface){.link_type = known ? YS_LINK_TYPE_HCI : UINT32_MAX, .ticks = 1000000};
    capture->interface_count = 1;
    capture->offset = 16;
    return true;
}
