/* A world: one clock, one air, and who is in it. */
#ifndef WORLD_WORLD_H
#define WORLD_WORLD_H

#include <stdint.h>

#include "capture/file/sorter.h"
#include "sim/radio.h"
#include "simulated/simulated.h"

/* The sides of a scene, so that its log can keep them apart; the last is the scene itself. */
enum ys_side { YS_SIDE_DEVICE, YS_SIDE_CENTRAL, YS_SIDE_SCENE };

/* Takes a line of the log. `text` has no newline and is valid during the call. */
typedef void ys_line_fn(void *context, uint64_t at_ns, enum ys_side side, const char *name, const char *text);

/* A number that a device shows. */
struct ys_shown {
    const char *name;
    uint32_t number;
    uint64_t at_ns;
};

#define YS_SHOWN_MOST 32

/* Who takes what is on the air, and crosses HCI. */
struct ys_recording {
    struct ys_record_sink sink;
    uint64_t from_ns; /* filled in: from when to when all was taken */
    uint64_t to_ns;
    /* private */
    struct ys_observer observer;
    struct ys_sorter *sorter;
    struct ys_recording *next;
};

struct ys_world {
    struct ys_clock *clock;
    struct ys_radio *radio;
    uint64_t seed;
    ys_line_fn *line; /* or NULL */
    void *line_context;
    struct ys_shown shown[YS_SHOWN_MOST];
    uint8_t people;  /* enum ys_people_do: what they do when devices pair */
    uint32_t digits; /* that they enter */
    bool stirred;    /* something has happened that somebody may wait for */
    struct ys_recording *recordings;
    struct ys_neighbour *neighbours; /* controllers that are nobody's */
    uint32_t disturbers;             /* that have a number on the air */
    uint32_t centrals;               /* that were made */
    const char *trouble;             /* why somebody could not be started; NULL: nobody knows */
    char failure[1000];              /* of firmware that cannot go on: nothing happens any more; "": there is none */
};

struct ys_neighbour;

/* A world at time 0. False if there is no memory. */
bool ys_world_init(struct ys_world *world, uint64_t seed, ys_line_fn *line, void *line_context);
void ys_world_end(struct ys_world *world);

uint64_t ys_world_now_ns(const struct ys_world *world);

struct ys_controller_settings;
struct ys_controller;
/* A controller without a host, which is freed when the world ends, and begins after some time. False if there is no
 * memory. */
typedef void ys_neighbour_begins_fn(struct ys_controller *controller, uint32_t parameter);
bool ys_world_neighbour(struct ys_world *world, const struct ys_controller_settings *settings, uint64_t after_ns,
                        ys_neighbour_begins_fn *begins, uint32_t parameter);

/* From now on all goes to this recording too, in the order of its times, until the world ends; nothing, if it is NULL.
 * It must outlive the world. */
void ys_world_record(struct ys_world *world, struct ys_recording *recording);

/* Hands on what recordings still hold back to put it in order. */
void ys_world_flush(const struct ys_world *world);

/* A packet crosses the HCI of a device, with its type byte. */
void ys_world_cross(const struct ys_world *world, uint16_t number, const char *name, enum ys_direction direction,
                    const uint8_t *packet, size_t length);

/* Adds a line to the log. */
#if defined(__GNUC__)
__attribute__((format(printf, 4, 5)))
#endif
void ys_world_say(const struct ys_world *world, enum ys_side side, const char *name, const char *format, ...);

/* The firmware of a device has failed, so that nothing of it can be known any more: the clock stands from now on. The
 * first failure counts. */
void ys_world_fail(struct ys_world *world, const char *device, const char *text);

/* The same, in other words: nothing can go on. */
void ys_world_break(struct ys_world *world, const char *text);

/* Says that something has happened. */
void ys_world_stir(struct ys_world *world);

/* Lets time pass. */
void ys_world_run(struct ys_world *world, uint64_t for_ns);

/* Lets time pass until `*flag` is set, at most for that long; returns whether it is. */
bool ys_world_run_until(struct ys_world *world, const bool *flag, uint64_t at_most_ns);

#endif
