/* Firmware as a module. */
#include "world/module.h"

#include <dlfcn.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "world/stand_in.h"
#include "world/variables.h"

struct ys_loaded {
    void *library;
    FILE *copy; /* what the library was loaded from, if it was loaded already */
    const struct ys_module *module;
    struct ys_variables *variables; /* of its static variables, as they were loaded */
};

_Thread_local struct ys_running ys_running;

struct ys_module ys_module_linked(const struct ys_firmware *firmware)
{
    return (struct ys_module){
        .version = YS_MODULE_VERSION,
        .connections = YS_CONNECTIONS,
        .event_size = sizeof(struct ys_event),
        .host_size = sizeof(struct ys_host),
        .firmware = firmware,
        .init = ys_host_init,
        .start = ys_host_start,
        .run = ys_host_run,
        .address = ys_host_address,
    };
}

/* Two tables are alike if every attribute is of the same kind, type, rights and size: more than the database hash
 * sees. */
static bool is_alike(const struct ys_table *one, const struct ys_table *other, size_t i)
{
    const struct ys_attribute *a = &one->attributes[i];
    const struct ys_attribute *b = &other->attributes[i];
    bool same = a->kind == b->kind && a->properties == b->properties && a->rights == b->rights && a->size == b->size;
    if (same && (a->kind & YS_ATTRIBUTE_LONG_UUID) != 0)
        return memcmp(one->long_uuids[a->number], other->long_uuids[b->number], 16) == 0;
    bool derived = (a->kind & YS_ATTRIBUTE_KIND_MASK) == YS_ATTRIBUTE_CHARACTERISTIC; /* its number means nothing */
    return same && (derived || a->number == b->number);
}

/* The handle of the first attribute in which they differ; 0: they do not. */
static size_t first_difference(const struct ys_table *one, const struct ys_table *other)
{
    size_t count = one->attribute_count < other->attribute_count ? one->attribute_count : other->attribute_count;
    for (size_t i = 0; i < count; i++) {
        if (!is_alike(one, other, i))
            return i + 1;
    }
    return one->attribute_count == other->attribute_count ? 0 : count + 1;
}

static bool check_table(const struct ys_module *module, const char *path, const struct ys_design *design, char *problem,
                        size_t size)
{
    struct ys_world nowhere = {.seed = 0};
    struct ys_stand_in_device *wanted = ys_stand_in_new(&nowhere, design, 0);
    size_t handle = wanted != NULL ? first_difference(module->firmware->table, ys_stand_in_table(wanted)) : 0;
    const char *name = wanted != NULL && handle > 0 ? ys_stand_in_name(wanted, (uint16_t)handle) : NULL;
    if (handle > 0)
        (void)snprintf(problem, size,
                       "%s was built for another definition than %s: they differ from handle 0x%04zX on%s%s%s; build "
                       "it again, or name the definition that it was built for",
                       path, design->file, handle, name != NULL ? " (" : "", name != NULL ? name : "",
                       name != NULL ? ")" : "");
    ys_stand_in_free(wanted);
    return handle == 0;
}

bool ys_module_check(const struct ys_module *module, const char *path, const struct ys_design *design, char *problem,
                     size_t size)
{
    if (module == NULL)
        (void)snprintf(problem, size, "%s is no module of firmware: write YS_MODULE(...) in one of its files", path);
    else if (module->version != YS_MODULE_VERSION || module->event_size != sizeof(struct ys_event))
        (void)snprintf(problem, size, "%s was built with another version of yarnswift: build it again", path);
    else if (module->firmware == NULL || module->firmware->table == NULL)
        (void)snprintf(problem, size, "%s has no table: give its struct ys_firmware the generated one", path);
    else if (module->firmware->interrupt != NULL && module->firmware->interrupt_every_us == 0)
        (void)snprintf(problem, size, "the interrupt_every_us of %s is 0: its interrupt would never end", path);
    else
        return check_table(module, path, design, problem, size);
    return false;
}

/* Copies a file to one that is gone when it is closed. NULL if that fails. */
static FILE *copy_of(const char *path)
{
    FILE *from = fopen(path, "rb");
    FILE *to = from != NULL ? tmpfile() : NULL;
    char bytes[8192];
    size_t length;
    bool good = to != NULL;
    while (good && (length = fread(bytes, 1, sizeof bytes, from)) > 0)
        good = fwrite(bytes, 1, length, to) == length;
    good = good && ferror(from) == 0 && fflush(to) == 0;
    if (from != NULL)
        (void)fclose(from);
    if (good || to == NULL)
        return to;
    (void)fclose(to);
    return NULL;
}

/* Several devices may have the same firmware, and each must have its static variables for itself: a library that is
 * loaded already is loaded from a copy. */
static void *load(struct ys_loaded *loaded, const char *path)
{
    char name[64];
    void *before = dlopen(path, RTLD_NOW | RTLD_LOCAL | RTLD_NOLOAD);
    if (before == NULL)
        return dlopen(path, RTLD_NOW | RTLD_LOCAL);
    (void)dlclose(before);
    loaded->copy = copy_of(path);
    if (loaded->copy == NULL)
        return NULL;
    (void)snprintf(name, sizeof name, "/proc/self/fd/%d", fileno(loaded->copy));
    return dlopen(name, RTLD_NOW | RTLD_LOCAL);
}

struct ys_loaded *ys_module_open(const char *path, const struct ys_design *design, char *problem, size_t size)
{
    struct ys_loaded *loaded = calloc(1, sizeof *loaded);
    if (loaded == NULL) {
        (void)snprintf(problem, size, "there is no memory for %s", path);
        return NULL;
    }
    loaded->library = load(loaded, path);
    if (loaded->library == NULL) {
        const char *why = dlerror();
        (void)snprintf(problem, size, "cannot load it: %s", why != NULL ? why : "it cannot be copied");
    }
    if (loaded->library != NULL)
        loaded->module = dlsym(loaded->library, "ys_module");
    bool good = loaded->library != NULL && ys_module_check(loaded->module, path, design, problem, size);
    if (good)
        loaded->variables = ys_variables_new(loaded->module);
    if (good && loaded->variables == NULL)
        (void)snprintf(problem, size, "there is no memory for the variables of %s", path);
    if (loaded->variables != NULL)
        return loaded;
    ys_module_close(loaded);
    return NULL;
}

/* What writes down what it has counted until now; NULL: it does not count. */
typedef void dump_fn(void);
static dump_fn *dump_of(const struct ys_loaded *loaded)
{
    dump_fn *dump = NULL;
    void *found = loaded->library != NULL ? dlsym(loaded->library, "__gcov_dump") : NULL;
    memcpy(&dump, &found, sizeof dump);
    return dump;
}

bool ys_module_counts(const struct ys_loaded *loaded)
{
    return dump_of(loaded) != NULL;
}

void ys_module_reset(struct ys_loaded *loaded)
{
    dump_fn *dump = dump_of(loaded);
    if (dump != NULL)
        dump(); /* its counts are among the variables */
    ys_variables_restore(loaded->variables);
}

void ys_module_close(struct ys_loaded *loaded)
{
    if (loaded == NULL)
        return;
    if (loaded->library != NULL)
        (void)dlclose(loaded->library);
    if (loaded->copy != NULL)
        (void)fclose(loaded->copy);
    ys_variables_free(loaded->variables);
    free(loaded);
}

const struct ys_module *ys_module_of(const struct ys_loaded *loaded)
{
    return loaded->module;
}
