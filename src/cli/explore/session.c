/* What was done at a prompt, as a scene. */
#include "cli/explore/session.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "design/model/memory.h"

void session_add(struct session *session, json_t *step, uint64_t began_ns, uint64_t ended_ns)
{
    session->steps = ys_grow(session->steps, session->count, sizeof *session->steps);
    session->steps[session->count++] = (struct session_step){.step = step, .began_ns = began_ns, .ended_ns = ended_ns};
}

void session_clear(struct session *session)
{
    for (size_t i = 0; i < session->count; i++)
        json_decref(session->steps[i].step);
    free(session->steps);
}

/* A text as YAML and JSON both read it. */
static void put_text(FILE *file, const json_t *value)
{
    char *text = json_dumps(value, JSON_ENCODE_ANY | JSON_COMPACT);
    (void)fputs(text != NULL ? text : "\"\"", file);
    free(text);
}

/* {name: device, definition: "kettle.device.yaml"} */
static void put_mapping(FILE *file, json_t *mapping)
{
    const char *key;
    const json_t *value;
    const char *between = "{";
    json_object_foreach(mapping, key, value)
    {
        (void)fprintf(file, "%s%s: ", between, key);
        put_text(file, value);
        between = ", ";
    }
    (void)fputc('}', file);
}

/* Paths in a scene are relative to its folder, so a path that was given here is made absolute. */
static json_t *paths_from(const json_t *devices, const char *path)
{
    json_t *copy = json_deep_copy(devices);
    json_t *device;
    size_t i;
    json_array_foreach(copy, i, device)
    {
        const char *definition = json_string_value(json_object_get(device, "definition"));
        char *whole = strchr(path, '/') != NULL && definition != NULL ? realpath(definition, NULL) : NULL;
        if (whole != NULL)
            (void)json_object_set_new(device, "definition", json_string(whole));
        free(whole);
    }
    return copy;
}

static void put_list(FILE *file, const char *name, const json_t *list)
{
    json_t *one;
    size_t i;
    (void)fprintf(file, "%s:\n", name);
    json_array_foreach(list, i, one)
    {
        (void)fputs("  - ", file);
        put_mapping(file, one);
        (void)fputc('\n', file);
    }
}

static void put_steps(FILE *file, const struct session *session)
{
    uint64_t now_ns = session->count > 0 ? session->steps[0].began_ns : 0;
    (void)fputs("steps:\n", file);
    for (size_t i = 0; i < session->count; i++) {
        const struct session_step *one = &session->steps[i];
        uint64_t passed_us = one->began_ns > now_ns ? (one->began_ns - now_ns) / 1000 : 0;
        if (passed_us > 0)
            (void)fprintf(file, "  - {wait: %llu us}\n", (unsigned long long)passed_us);
        now_ns = one->ended_ns;
        (void)fputs("  - ", file);
        if (json_is_string(one->step))
            (void)fputs(json_string_value(one->step), file);
        else
            put_mapping(file, one->step);
        (void)fputc('\n', file);
    }
}

bool session_save(const struct session *session, const char *path, const json_t *head)
{
    if (session->count == 0)
        return complain(path, "there is nothing to save yet");
    struct ys_output output;
    if (!saving_begin(&output, path, false))
        return false;
    FILE *file = output.stream;
    (void)fputs("scene: ", file);
    put_text(file, json_object_get(head, "scene"));
    (void)fputs("\nair: ", file);
    put_text(file, json_object_get(head, "air"));
    (void)fputc('\n', file);
    json_t *devices = paths_from(json_object_get(head, "devices"), path);
    put_list(file, "devices", devices);
    json_decref(devices);
    put_list(file, "centrals", json_object_get(head, "centrals"));
    put_steps(file, session);
    return saving_end(&output, true);
}
