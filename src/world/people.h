/* What people see and do when devices pair: they read numbers off one device, and enter or compare them at another. */
#ifndef WORLD_PEOPLE_H
#define WORLD_PEOPLE_H

#include <yarnswift/pairing.h>

#include "sim/clock.h"

struct ys_world;

/* What they do: as a step of a scene says. */
enum ys_people_do {
    YS_PEOPLE_RIGHT,   /* what they should: they enter what is shown, and compare honestly */
    YS_PEOPLE_WRONG,   /* they enter another, and say that the numbers differ */
    YS_PEOPLE_NOTHING, /* they are not there */
    YS_PEOPLE_CANCEL,  /* they end it */
    YS_PEOPLE_DIGITS   /* they enter these */
};

/* Somebody in front of a device. The memory is the owner's; zero it, and set the first three. */
struct ys_person {
    struct ys_world *world;
    struct ys_host *host;
    const char *name; /* of the device */
    bool unseen;      /* nobody stands there: what it shows is not read, and it guesses */
    /* private */
    struct ys_oob own_oob; /* of the device, for pairing out of band */
    struct ys_oob peer_oob;
    bool has_oob;
    struct ys_timer timer;
    uint16_t connection;
    uint32_t number;
    bool compares;
};

/* Two devices are held together: each is to make data for pairing out of band. False, and why in `problem`, if one
 * cannot. Once ys_people_have_touched each has the other's. */
bool ys_people_touch(struct ys_person *one, struct ys_person *other, const char **problem);
bool ys_people_have_touched(struct ys_person *one, struct ys_person *other);

/* Sees to an event of pairing; any other is ignored. What has to be done is done a little later. */
void ys_person_see(struct ys_person *person, const struct ys_event *event);
void ys_person_leave(struct ys_person *person);

/* The device of this person shows a number, which everybody can read. */
void ys_people_show(const struct ys_person *person, uint32_t number);

/* An event of pairing in words, for the log; NULL if it is none. Returns `text`. */
const char *ys_pairing_say(const struct ys_event *event, char *text, size_t size);

#endif
