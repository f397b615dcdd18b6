/* Scenes, and where they find the files that they name. */
#ifndef CLI_SHARED_STAGE_FILES_H
#define CLI_SHARED_STAGE_FILES_H

#include "scene/scene.h"

#define MODULE_FOLDERS_MOST 16

/* A device with other firmware than its scene names. */
struct played_with {
    const char *device;
    const char *firmware;
    bool used;
};

#define PLAYED_WITH_MOST 64
#define PLUGGED_MOST     8

/* Folders in which modules are looked for, besides those in which they always are; and who is played with which. */
struct module_folders {
    const char *paths[MODULE_FOLDERS_MOST];
    size_t count;
    struct played_with played[PLAYED_WITH_MOST];
    size_t played_count;
    struct played_with plugged[PLUGGED_MOST]; /* without firmware: their hosts are outside */
    size_t plugged_count;
};

/* The options that fill it in. */
#define FIRMWARE_OPTIONS                                                                                               \
    {"firmware",                                                                                                       \
     'f',                                                                                                              \
     "DEVICE=MODULE",                                                                                                  \
     0,                                                                                                                \
     "Run this module or image (.elf) as the firmware of a device of the scene; may be repeated",                      \
     0},                                                                                                               \
    {                                                                                                                  \
        "modules", 'm', "FOLDER", 0, "Also look for modules and images of firmware in this folder; may be repeated", 0 \
    }

/* Reads the argument of --modules; complains, and returns false, if there is no room for it. */
bool module_folder_take(struct module_folders *folders, const char *verb, const char *path);

/* Reads the argument of --firmware, DEVICE=NAME, and splits it. False after a line. */
bool firmware_take(struct module_folders *folders, const char *verb, char *argument);

/* Reads the argument of --plug, a device; complains, and returns false, if there is no room for it. */
bool plug_take(struct module_folders *folders, const char *verb, const char *device);

/* Whether each --firmware and --plug was of a device that is there; false after a line. */
bool firmware_all_used(const struct module_folders *folders, const char *verb);

/* `folders` must outlive what is returned. */
struct ys_scene_files stage_files(struct module_folders *folders);

/* Reads a scene and prints its findings. NULL, after a line, if there is no such file. */
struct ys_scene *read_scene(const char *path, const struct ys_scene_files *files);

#endif
