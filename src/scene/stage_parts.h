/* What a stage is made of. */
#ifndef SCENE_STAGE_PARTS_H
#define SCENE_STAGE_PARTS_H

#include "scene/scene.h"
#include "scene/take.h"
#include "world/central.h"
#include "world/device.h"
#include "world/glossary.h"
#include "world/image.h"
#include "world/packets.h"
#include "world/plug.h"

/* An actor on the stage. */
struct on_stage {
    struct ys_stage *stage;
    const struct ys_actor *actor;
    uint16_t number;            /* on the air */
    struct ys_loaded *module;   /* of its firmware, or */
    struct ys_image *image;     /* an image, or */
    struct ys_plug *plug;       /* a line; all NULL: its definition plays it */
    struct ys_device *device;   /* or NULL */
    struct ys_central *central; /* or NULL: of a device too, if it plays that part */
    struct ys_place_m at;
    uint64_t log_mark; /* lines before this one have been expected */
};

/* From which arrival on a central looks at the values of a characteristic. */
struct mark {
    size_t who;
    const struct ys_peer *peer;
    uint16_t handle;
    uint64_t number;
};

struct ys_stage {
    const struct ys_scene *scene;
    struct ys_take *take;
    struct ys_world world;
    struct on_stage *actors;
    struct ys_packets *packets;
    struct ys_names *names;
    struct ys_layout **layouts; /* of the devices */
    struct ys_observer observer;
    ys_line_fn *line;
    void *line_context;
    struct mark *marks;
    size_t mark_count;
    struct remembered *remembered;
    size_t remembered_count;
    struct audited *audited;      /* NULL: its traffic is not watched */
    const struct act_kind *kinds; /* of steps, by their verb */
    struct act *kept;             /* acts whose requests may still be answered */
    struct ys_place at;           /* of the step that was begun last */
    uint64_t jammed;
    bool ended;
};

enum act_state { ACT_RUNS, ACT_PASSED, ACT_FAILED };

/* A step that is being done. */
struct act {
    struct ys_stage *stage;
    const struct ys_step *step;
    enum act_state state;
    uint64_t began_ns;
    uint64_t until_ns; /* when it must be looked at again; UINT64_MAX: when something happens */
    struct ys_task task;
    struct ys_wanted wanted;
    struct ys_address address;
    struct ys_peer *peer;
    uint16_t handle;
    uint64_t number;         /* of the next arrival, or line of the log */
    uint64_t log_from;       /* from which line of the log on it may be met */
    uint64_t child_log_from; /* the same of the next child */
    uint64_t matched;        /* how many were as expected */
    uint64_t seen;
    char ends[2][60]; /* the least and the greatest of them, if they are numbers */
    double numbers[2];
    uint64_t last;   /* number of the last that was looked at */
    uint64_t before; /* what was jammed */
    struct ys_place_m from;
    struct act **children;
    size_t child_count;
    size_t at;
    uint64_t rounds;
    char expected[300];
    char came[600];
    struct act *next;
};

/* How a kind of step is begun, and looked at until it has passed or failed. */
struct act_kind {
    void (*begin)(struct act *act);
    void (*poll)(struct act *act);
};

#endif
