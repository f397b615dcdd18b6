/* A rehearsal: the options, the scenes, and the results of their takes. */
#ifndef CLI_REHEARSE_REHEARSAL_H
#define CLI_REHEARSE_REHEARSAL_H

#include <jansson.h>

#include "cli/shared/controllers.h"
#include "cli/shared/progress.h"
#include "cli/shared/recorder.h"
#include "cli/shared/share.h"
#include "cli/shared/stage_files.h"
#include "scene/scene.h"

struct input {
    struct common common;
    unsigned long long seed;
    unsigned long long seeds;
    unsigned long long jobs;
    unsigned long long most_s;
    const char *junit;
    struct module_folders folders;
    struct controllers controllers;
    struct recorder recorder;
    bool steps;
    bool log;
    bool schema;
    bool only_check;
    struct share share;
};

struct rehearsal {
    struct input *input;
    struct ys_scene **scenes; /* those that may be played */
    size_t scene_count;
    json_t *results; /* of all: {file, title, takes} */
    json_t **takes;  /* of each that is played: its takes in there */
    json_t **played; /* by scene and seed; NULL: not played now */
    size_t *todo;    /* what is to be played */
    size_t todo_count;
    size_t mine; /* how many are in the share */
    struct results *store;
    bool packets; /* takes that fail tell of their last packets */
    bool again;   /* what is played now was played before */
    struct progress progress;
    size_t done;
    double written_s; /* when the results were last written */
    json_t *shown;    /* the take that a page shows, or NULL; */
    json_t *watched;  /* what was watched of it, or NULL; */
    size_t shown_index;
    bool shown_passed;
};

#endif
