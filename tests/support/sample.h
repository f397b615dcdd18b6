/* A table written by hand that has one of everything, with handlers that note what they were asked.
 *
 *    1 service 0x1800 (1 to 5)            11   value 0x2A25, 60 bytes, constant
 *    2   characteristic, read             12   characteristic, read, write, write without response
 *    3   value 0x2A00 "yard", constant    13   value 0x2A3D, stored, up to 4 bytes, starts as 01 02
 *    4   characteristic, read             14   characteristic, read
 *    5   value 0x2A01, 00 00              15   value 0x2A56, 07, only for encrypted links
 *    6 service LONG + 0 (6 to 17)         16   characteristic, write
 *    7   characteristic, all              17   value 0x2A57, a handler that refuses all but 01
 *    8   value LONG + 1, handlers, 2      18 service 0x180F (18 to 21)
 *    9   client configuration             19   characteristic, read, notify
 *   10   characteristic, read             20   value 0x2A19, a handler, spacing 100 ms
 *                                         21   client configuration                              */
#ifndef SUPPORT_SAMPLE_H
#define SUPPORT_SAMPLE_H

#include <yarnswift/table.h>

/* The first long UUID in air order, as hexadecimal; the second has 01 where this has 00. */
#define SAMPLE_LONG_0 "526a7be0c1d4379a6f4e1c2b00008d5f"
#define SAMPLE_LONG_1 "526a7be0c1d4379a6f4e1c2b01008d5f"

#define SAMPLE_VALUES_SIZE 6

struct sample {
    uint16_t number; /* after handle 8 */
    uint8_t battery; /* after handle 20 */
    unsigned reads;
    unsigned writes;
    uint8_t read_error; /* what reading handle 8 returns, if not 0 */
    struct ys_access last;
};

extern const struct ys_table sample_table;

#endif
