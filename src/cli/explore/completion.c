/* What a line at the prompt could go on with. */
#include "cli/explore/completion.h"

#include <string.h>

#include "cli/explore/commands.h"
#include "cli/explore/explorer.h"
#include "cli/explore/naming.h"
#include "design/model/value.h"
#include "design/model/value_parse.h"

struct completion {
    const char *typed;
    const char **words;
    size_t most;
    size_t count;
};

static void offer(struct completion *completion, const char *word)
{
    if (completion->count < completion->most && strncmp(word, completion->typed, strlen(completion->typed)) == 0)
        completion->words[completion->count++] = word;
}

static void offer_commands(struct completion *completion)
{
    for (size_t i = 0; i < COMMANDS; i++)
        offer(completion, explore_commands[i].name);
}

static void offer_names(struct completion *completion, const struct explorer *explorer, bool inputs)
{
    const struct ys_design *design = explorer->scene->actors[explorer->current].design;
    const struct ys_device *device = ys_stage_device(explorer->stage, explorer->current);
    const char *name;
    bool firmware = explorer->scene->actors[explorer->current].module != NULL;
    for (size_t i = 0; inputs && (name = ys_device_input(device, i)) != NULL; i++)
        offer(completion, name);
    for (size_t i = 0; i < design->service_count && !(inputs && firmware); i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++)
            offer(completion, design->services[i].characteristics[j].name);
    }
}

static void offer_devices(struct completion *completion, const struct explorer *explorer)
{
    for (size_t i = 0; i < explorer->central; i++)
        offer(completion, explorer->scene->actors[i].name.text);
}

/* Values of which there are few, or the ends of a range. */
static void offer_values(struct completion *completion, struct explorer *explorer, const char *name)
{
    const struct ys_design *design = explorer->scene->actors[explorer->current].design;
    const struct ys_characteristic *one = NULL;
    for (size_t i = 0; i < design->service_count && one == NULL; i++)
        one = ys_characteristic_named(&design->services[i], name);
    if (one == NULL) {
        offer(completion, "on");
        offer(completion, "off");
    } else if (one->type.format->kind == YS_FORMAT_BOOLEAN) {
        offer(completion, "true");
        offer(completion, "false");
    } else if (one->has_range) {
        for (size_t i = 0; i < 2; i++) {
            uint8_t bytes[8];
            size_t length = ys_value_encode(&one->type, one->range[i], bytes);
            ys_value_format(&one->type, bytes, length, explorer->words[i], sizeof explorer->words[i]);
            offer(completion, explorer->words[i]);
        }
    }
    for (size_t i = 0; one != NULL && i < one->type.bit_count; i++)
        offer(completion, one->type.bits[i]);
    for (size_t i = 0; one != NULL && i < one->type.name_count; i++)
        offer(completion, one->type.names[i].name);
}

size_t explore_complete(void *context, const char *line, size_t *from, const char **words, size_t most)
{
    struct explorer *explorer = context;
    struct completion completion = {.typed = line, .words = words, .most = most};
    const char *rest;
    const char *value;
    const struct command *command = command_find(line, &rest);
    *from = 0;
    if (command == NULL || line[strlen(command->name)] != ' ') {
        offer_commands(&completion);
        return completion.count;
    }

    bool named = strncmp(command->takes, "NAME", 4) == 0;
    const char *name = named ? explorer_name_in(explorer, rest, command->inputs, &value) : NULL;
    completion.typed = name != NULL && value[-1] == ' ' ? value : rest;
    *from = (size_t)(completion.typed - line);
    if (name != NULL && completion.typed == value)
        offer_values(&completion, explorer, name);
    else if (named)
        offer_names(&completion, explorer, command->inputs);
    if (strncmp(command->takes, "[DEVICE]", 8) == 0)
        offer_devices(&completion, explorer);
    for (const char *const *choice = command->choices; choice != NULL && *choice != NULL; choice++)
        offer(&completion, *choice);
    if (strcmp(command->name, "help") == 0)
        offer_commands(&completion);
    return completion.count;
}
