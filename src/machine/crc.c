#include "machine/crc.h"

#include "machine/crc_instructions.h"
#include "machine/instructions.h"

/* Below that, folding costs more than it saves. */
#define FOLDED_LEAST 32

uint32_t ys_machine_crc(uint32_t init, const uint8_t *bytes, size_t length)
{
    if (length < FOLDED_LEAST || !ys_machine_has_products())
        return ys_link_crc(init, bytes, length);
    return ys_crc_fold(init, bytes, length);
}
