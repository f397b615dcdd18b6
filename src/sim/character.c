/* What controllers are like. */
#include "sim/character.h"

#include <string.h>

const struct ys_character ys_characters[] = {
    {.name = "extending",
     .about = "continues an event while there is data and time, spreads the connections, has 8 buffers of 251 bytes, "
              "and reports to its host after 50 us",
     .buffer_count = 8,
     .buffer_length = 251,
     .answer_us = 50},
    {.name = "slotted",
     .about = "gives each connection a slot of 3.75 ms, spreads the connections, has 6 buffers of 251 bytes, and "
              "reports to its host after 200 us",
     .event_length_us = 3750,
     .buffer_count = 6,
     .buffer_length = 251,
     .answer_us = 200},
    {.name = "sparing",
     .about = "sends at most 4 packets in an event, does not move connections, has 4 buffers of 27 bytes, and reports "
              "to its host after 1 ms",
     .exchanges_most = 4,
     .scatters = true,
     .buffer_count = 4,
     .buffer_length = 27,
     .answer_us = 1000},
    {.name = "ideal", .about = "is extending, without any delay to its host", .buffer_count = 8, .buffer_length = 251},
};

const size_t ys_character_count = sizeof ys_characters / sizeof ys_characters[0];

const struct ys_character *ys_character_find(const char *name)
{
    for (size_t i = 0; i < ys_character_count; i++) {
        if (strcmp(ys_characters[i].name, name) == 0)
            return &ys_characters[i];
    }
    return NULL;
}
