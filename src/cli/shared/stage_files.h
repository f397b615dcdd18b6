/* Scenes, and where they find the files that they name. */
#ifndef CLI_SHARED_STAGE_FILES_H
#define CLI_SHARED_STAGE_FILES_H

#include "scene/scene.h"

#define MODULE_FOLDERS_MOST 16

/* Folders in which modules are looked for, besides those in which they always are. */
struct module_folders {
    const char *paths[MODULE_FOLDERS_MOST];
    size_t count;
};

/* Reads the argument of --modules; complains, and returns false, if there is no room for it. */
bool module_folder_take(struct module_folders *folders, const char *verb, const char *path);

/* `folders` must outlive what is returned. */
struct ys_scene_files stage_files(struct module_folders *folders);

/* Reads a scene and prints its findings. NULL, after a line, if there is no such file. */
struct ys_scene *read_scene(const char *path, const struct ys_scene_files *files);

#endif
