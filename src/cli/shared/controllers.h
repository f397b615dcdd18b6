/* Real controllers, at serial lines, sockets or interfaces of the system, in place of simulated ones. */
#ifndef CLI_SHARED_CONTROLLERS_H
#define CLI_SHARED_CONTROLLERS_H

#include <yarnswift/line.h>

#include "cli/shared/pace.h"
#include "experiment/live.h"
#include "scene/stage.h"

#define REAL_CONTROLLERS_MOST 8

/* One of them, and who has it. */
struct real_controller {
    const char *who;
    const char *where;
    uint32_t bps;
    bool flow_control;
    struct ys_line *line; /* NULL: it is not open */
    struct ys_outside outside;
    struct ys_world *world;
    size_t actor; /* who has it: the number in the scene */
    bool used;
};

struct controllers {
    struct real_controller items[REAL_CONTROLLERS_MOST];
    size_t count;
    struct pace pace;
};

#define CONTROLLER_OPTIONS                                                                                             \
    {"controller",                                                                                                     \
     'C',                                                                                                              \
     "WHO=WHERE[,RATE][,flow]",                                                                                        \
     0,                                                                                                                \
     "Give this device or central a real controller, in real time; WHERE is a serial device, a socket, or hci0; may "  \
     "be repeated",                                                                                                    \
     0},                                                                                                               \
    {                                                                                                                  \
        "outside", 'O', "DEVICE", 0, "This device is real, and is met by a real controller; may be repeated", 0        \
    }

/* Reads the argument of --controller, WHO=WHERE[,RATE][,flow], and splits it. False after a line. */
bool controller_take(struct controllers *controllers, const char *verb, char *argument);

/* Gives them to who has them in a scene; false after a line, if there is nobody so called. */
bool controllers_give(struct controllers *controllers, const char *verb, struct ys_scene *scene);

/* Opens them. False, and why with what to do in `problem`. */
bool controllers_open(struct controllers *controllers, char *problem, size_t size);
void controllers_close(struct controllers *controllers);

/* Has a scene played at the pace of the wall, with them. */
struct ys_beside controllers_beside(struct controllers *controllers);

/* Gives them to an experiment, in which "central" must have one, and "device" may; opens them, and has it run at the
 * pace of the wall. False after a line. */
bool controllers_live(struct controllers *controllers, const char *verb, struct ys_live *live);

#endif
