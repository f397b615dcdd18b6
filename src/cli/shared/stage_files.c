/* Scenes, and where they find the files that they name. */
#include "cli/shared/stage_files.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "cli/shared/definitions.h"
#include "cli/shared/say.h"
#include "design/model/memory.h"
#include "design/open.h"
#include "design/reading/files.h"
#include "scene/scene_read.h"

#define SCENE_MOST (4u << 20)

bool module_folder_take(struct module_folders *folders, const char *verb, const char *path)
{
    if (folders->count == MODULE_FOLDERS_MOST)
        return complain(verb, "there are too many folders of modules");
    folders->paths[folders->count++] = path;
    return true;
}

bool firmware_take(struct module_folders *folders, const char *verb, char *argument)
{
    char *equals = strchr(argument, '=');
    if (folders->played_count == PLAYED_WITH_MOST)
        return complain(verb, "--firmware is given too often");
    if (equals == NULL || equals == argument || equals[1] == '\0')
        return complain(verb, "--firmware takes DEVICE=NAME: a device of the scene, and a module or an image (.elf)");
    *equals = '\0';
    folders->played[folders->played_count++] = (struct played_with){.device = argument, .firmware = equals + 1};
    return true;
}

bool firmware_all_used(const struct module_folders *folders, const char *verb)
{
    for (size_t i = 0; i < folders->played_count; i++) {
        if (!folders->played[i].used)
            return complain(verb, "--firmware: no scene has a device \"%s\"", folders->played[i].device);
    }
    for (size_t i = 0; i < folders->plugged_count; i++) {
        if (!folders->plugged[i].used)
            return complain(verb, "the scene has no device \"%s\"", folders->plugged[i].device);
    }
    return true;
}

bool plug_take(struct module_folders *folders, const char *verb, const char *device)
{
    if (folders->plugged_count == PLUGGED_MOST)
        return complain(verb, "--plug: at most %d devices", PLUGGED_MOST);
    folders->plugged[folders->plugged_count++] = (struct played_with){.device = device};
    return true;
}

static bool is_plugged(void *context, const char *device)
{
    struct module_folders *folders = context;
    for (size_t i = 0; i < folders->plugged_count; i++) {
        if (strcmp(folders->plugged[i].device, device) != 0)
            continue;
        folders->plugged[i].used = true;
        return true;
    }
    return false;
}

/* The last one that was given counts. */
static const char *firmware_of(void *context, const char *device)
{
    struct module_folders *folders = context;
    const char *firmware = NULL;
    for (size_t i = 0; i < folders->played_count; i++) {
        if (strcmp(folders->played[i].device, device) != 0)
            continue;
        folders->played[i].used = true;
        firmware = folders->played[i].firmware;
    }
    return firmware;
}

static struct ys_design *open_definition(void *context, const char *path)
{
    (void)context;
    return ys_design_open(path);
}

/* Returns the path if the file exists; otherwise appends it to the list of places that were searched. Takes the
 * path. */
static char *try(char *path, char *looked, size_t size)
{
    if (access(path, R_OK) == 0)
        return path;
    size_t used = strlen(looked);
    (void)snprintf(looked + used, size - used, "%s%s", used > 0 ? ", " : "", path);
    free(path);
    return NULL;
}

static char *in_folder(const char *folder, const char *name)
{
    size_t size = strlen(folder) + strlen(name) + 2;
    char *path = ys_new(size);
    (void)snprintf(path, size, "%s/%s", folder, name);
    return path;
}

/* The modules of the tree in which this command was built. */
static char *beside_command(const char *name)
{
    char path[4096];
    ssize_t length = readlink("/proc/self/exe", path, sizeof path - 1);
    path[length > 0 ? length : 0] = '\0';
    for (int i = 0; i < 2; i++) {
        char *slash = strrchr(path, '/');
        if (slash != NULL)
            *slash = '\0';
    }
    char *folder = in_folder(path, "modules");
    char *whole = in_folder(folder, name);
    free(folder);
    return whole;
}

static char *find_module(void *context, const char *scene, const char *name, char *looked, size_t size)
{
    const struct module_folders *folders = context;
    size_t length = strlen(name);
    char file[600];
    bool ends =
        (length > 3 && strcmp(name + length - 3, ".so") == 0) || (length > 4 && strcmp(name + length - 4, ".elf") == 0);
    (void)snprintf(file, sizeof file, "%s%s", name, ends ? "" : ".so");
    char *path = try(ys_path_beside(scene, file), looked, size);
    if (strchr(name, '/') != NULL)
        return path;
    for (size_t i = 0; i < folders->count && path == NULL; i++)
        path = try(in_folder(folders->paths[i], file), looked, size);
    if (path == NULL)
        path = try(in_folder("build/modules", file), looked, size);
    if (path == NULL)
        path = try(beside_command(file), looked, size);
    if (path == NULL || strchr(path, '/') != NULL)
        return path;
    char *here = in_folder(".", path); /* or the loader would look for it elsewhere */
    free(path);
    return here;
}

struct ys_scene_files stage_files(struct module_folders *folders)
{
    return (struct ys_scene_files){.design = open_definition,
                                   .module = find_module,
                                   .firmware = firmware_of,
                                   .plugged = is_plugged,
                                   .context = folders};
}

struct ys_scene *read_scene(const char *path, const struct ys_scene_files *files)
{
    size_t length = 0;
    char *text = ys_file_read(path, SCENE_MOST, &length);
    if (text == NULL) {
        (void)complain(path, "cannot read it: %s",
                       errno == EFBIG ? "it is longer than 4 MiB, which no scene is" : strerror(errno));
        return NULL;
    }
    struct ys_scene *scene = ys_scene_read(path, text, length, files);
    free(text);
    print_all_findings(scene->file, &scene->findings);
    return scene;
}
