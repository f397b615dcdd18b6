/* pcap: a header of 24 bytes, then records with one of 16. */
#include "capture/file/pcap.h"

#include <string.h>

static step next_pcap(struct ys_capture *capture, struct ys_record *record)
{
    uint8_t header[16];
    size_t got = 0;
    if (!ys_cursor_fetch(capture, header, sizeof header, &got))
        return ys_cursor_give_back(capture, got);
    const struct interface *interface = capture->interfaces;
    uint64_t ticks = interface->ticks;
    uint32_t fraction = ys_cursor_u32(capture, header + 4);
    uint64_t at_ns = ys_cursor_u32(capture, header) * NS_PER_S + fraction * (NS_PER_S / ticks);
    record->device = 1;
    record->name = NULL;
    step taken =
        ys_cursor_record(capture, interface->link_type, ys_cursor_u32(capture, header + 8), at_ns, &got, record);
    capture->offset += taken != STEP_END ? got : 0;
    return taken;
}

bool ys_pcap_begin(struct ys_capture *capture, const uint8_t magic[4])
{
    static const uint8_t little[2][4] = {{0xd4, 0xc3, 0xb2, 0xa1}, {0x4d, 0x3c, 0xb2, 0xa1}};
    uint8_t rest[20];
    size_t got = 0;
    for (int i = 0; i < 4; i++) {
        bool big = i >= 2;
        uint8_t wanted[4];
        for (int j = 0; j < 4; j++)
            wanted[j] = little[i % 2][big ? 3 - j : j];
        if (memcmp(magic, wanted, 4) != 0)
            continue;
        capture->big = big;
        capture->next = next_pcap;
        if (!ys_cursor_fetch(capture, rest, sizeof rest, &got))
            return false;
        capture->interfaces[0] = (struct interface){.link_type = ys_cursor_u32(capture, rest + 16) & 0x0fffffff,
                                                    .ticks = i % 2 == 1 ? NS_PER_S : 1000000};
        capture->interface_count = 1;
        capture->offset = 24;
        return true;
    }
    return false;
}
