/* The properties of controllers that the standard leaves open: the length of events, the sharing of the radio by
 * several connections, their memory, and their speed. */
#ifndef SIM_CHARACTER_H
#define SIM_CHARACTER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct ys_character {
    const char *name;
    const char *about;        /* in a sentence, without its end */
    uint32_t event_length_us; /* a connection event is over after that; 0: it goes on while there is more to say */
    uint8_t exchanges_most;   /* in a connection event; 0: as many as there is time for */
    bool scatters;            /* as central it leaves its connections where they fall, and does not move them apart */
    uint8_t buffer_count;     /* of data from its host */
    uint16_t buffer_length;   /* 27 to 251 bytes */
    uint32_t answer_us;       /* from what it has heard or done until its host is told */
};

/* The first is the default. */
extern const struct ys_character ys_characters[];
extern const size_t ys_character_count;

/* NULL if there is none of that name. */
const struct ys_character *ys_character_find(const char *name);

#endif
