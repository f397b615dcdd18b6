/* Lines at the prompt: whatever is typed is done, or refused in words; and what could follow is words. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/explore/commands.h"
#include "cli/explore/completion.h"
#include "cli/explore/doing.h"
#include "cli/explore/explorer.h"
#include "design/open.h"
#include "scene/scene_read.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* The wrench's definition (made at build time). */
extern const char wrench_definition[];

#define LINES_MOST 12
#define WORDS_MOST 64

static struct ys_design *open_wrench(void *context, const char *path)
{
    (void)context;
    (void)path;
    return ys_design_read("torque_wrench.device.yaml", wrench_definition, strlen(wrench_definition), NULL, NULL);
}

/* What would write files, and what would take hours. */
static bool is_too_much(const char *line)
{
    return strstr(line, "save") != NULL ||
           ((strstr(line, "wait") != NULL || strstr(line, "listen") != NULL) &&
            (strcspn(line, "0123456789") + 3 < strlen(line) || strpbrk(line, "hm") != NULL));
}

static void type(struct explorer *explorer, const char *line)
{
    const char *next[WORDS_MOST];
    size_t from = 0;
    size_t count = explore_complete(explorer, line, &from, next, WORDS_MOST);
    if (count > WORDS_MOST || (count > 0 && from > strlen(line)))
        abort();
    for (size_t i = 0; i < count; i++) {
        if (strncmp(next[i], line + from, strlen(line + from)) != 0)
            abort();
    }
    if (!is_too_much(line))
        explore_line(explorer, line);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static const char head[] =
        "scene: fuzz\ndevices: [{name: device, definition: w}]\ncentrals: [{name: central, patience: 1 s}]\n"
        "steps: [{wait: 1 ms}]\n";
    const struct ys_scene_files files = {.design = open_wrench};
    const struct prompt_owner owner = {.context = NULL}; /* nobody types */
    struct explorer explorer = {.head = json_object(), .prompt = prompt_new(&owner)};
    char *text = strndup((const char *)data, size);
    char *rest = text;
    explorer.scene = ys_scene_read("explore", head, sizeof head - 1, &files);
    explorer.central = explorer.scene->device_count;
    explorer.stage = ys_stage_new(explorer.scene, &explorer.take, 1, true, NULL, NULL, NULL);
    if (explorer.stage == NULL || explorer.prompt == NULL)
        abort();
    for (unsigned i = 0; i < LINES_MOST && rest != NULL && !explorer.quits; i++)
        type(&explorer, strsep(&rest, "\n"));
    prompt_free(explorer.prompt);
    explorer_end(&explorer);
    free(text);
    return 0;
}
