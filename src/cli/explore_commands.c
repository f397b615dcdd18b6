/* What can be done at the prompt of explore. */
#include <stdlib.h>
#include <string.h>

#include "cli/cli.h"
#include "cli/explore.h"
#include "design/model/memory.h"
#include "design/model/value.h"
#include "design/model/words.h"

#define NAME_MOST  80
#define VALUE_TEXT 400

struct command {
    const char *name;
    const char *takes; /* what stands behind it, for people */
    const char *about;
    void (*run)(struct explorer *explorer, const char *rest);
};

static const struct command *find_command(const char *line, const char **rest);

/* what could not be done */

#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
static void
refuse(struct explorer *explorer, const char *format, ...)
{
    va_list arguments;
    explorer->wrong = true;
    (void)fputs("  ", stdout);
    va_start(arguments, format);
    (void)vprintf(format, arguments);
    va_end(arguments);
    (void)putchar('\n');
}

/* steps */

static struct ys_central *central_of(const struct explorer *explorer)
{
    return ys_stage_central(explorer->stage, EXPLORED_CENTRAL);
}

static struct ys_peer *peer_of(const struct explorer *explorer)
{
    size_t count = 0;
    return ys_central_connected(central_of(explorer), &count);
}

static uint64_t now_ns(const struct explorer *explorer)
{
    return ys_world_now_ns(ys_stage_world(explorer->stage));
}

/* Does a step as a scene would. It is kept to be saved, unless it was not understood. Takes the step. */
static bool do_step(struct explorer *explorer, json_t *step)
{
    struct ys_steps steps;
    char *text = json_dumps(step, 0);
    uint64_t began_ns = now_ns(explorer);
    bool good = ys_scene_read_step(explorer->scene, text, &steps);
    free(text);
    explorer->steps = ys_grow(explorer->steps, explorer->step_count, sizeof *explorer->steps);
    explorer->steps[explorer->step_count++] = steps;
    for (size_t i = 0; i < explorer->scene->findings.count; i++)
        refuse(explorer, "%s", explorer->scene->findings.items[i].text);
    if (!good) {
        json_decref(step);
        return false;
    }
    bool passed = ys_stage_do(explorer->stage, &steps);
    const struct ys_done_step *done =
        explorer->take.step_count > 0 ? &explorer->take.steps[explorer->take.step_count - 1] : NULL;
    const char *code = done != NULL && !passed ? strstr(done->came, "(0x") : NULL;
    if (code != NULL) { /* it was refused, and shall be again */
        char reason[8];
        (void)snprintf(reason, sizeof reason, "%.4s", code + 1);
        (void)json_object_set_new(step, "fails", json_string(reason));
    } else if (!passed) {
        const struct ys_take *take = &explorer->take;
        bool logged = !explorer->silent && take->line_count > 0 && done != NULL &&
                      strcmp(take->lines[take->line_count - 1].text, done->came) == 0;
        if (done != NULL && !logged)
            (void)printf("  %s\n", done->came);
        json_decref(step);
        return false;
    }
    session_add(&explorer->session, step, began_ns, now_ns(explorer));
    return passed;
}

/* names */

/* The longest name of a characteristic, or an input, that `text` begins with; NULL if none. `*rest` is what follows. */
static const char *name_in(const struct explorer *explorer, const char *text, bool inputs, const char **rest)
{
    const struct ys_design *design = explorer->scene->actors[EXPLORED_DEVICE].design;
    const struct ys_device *device = ys_stage_device(explorer->stage, EXPLORED_DEVICE);
    const char *found = NULL;
    size_t longest = 0;
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            const char *name = design->services[i].characteristics[j].name;
            size_t length = strlen(name);
            if (length > longest && strncmp(text, name, length) == 0 && (text[length] == '\0' || text[length] == ' ')) {
                found = name;
                longest = length;
            }
        }
    }
    const char *name;
    for (size_t i = 0; inputs && (name = ys_device_input(device, i)) != NULL; i++) {
        size_t length = strlen(name);
        if (length > longest && strncmp(text, name, length) == 0 && (text[length] == '\0' || text[length] == ' ')) {
            found = name;
            longest = length;
        }
    }
    *rest = text + longest + strspn(text + longest, " ");
    return found;
}

/* A name and, behind it, a value. False after a line. */
static bool split(struct explorer *explorer, const char *rest, bool inputs, char name[NAME_MOST], const char **value)
{
    const char *found = name_in(explorer, rest, inputs, value);
    if (found == NULL && strncmp(rest, "0x", 2) == 0) {
        (void)snprintf(name, NAME_MOST, "%.*s", (int)strcspn(rest, " "), rest);
        *value = rest + strcspn(rest, " ");
        *value += strspn(*value, " ");
        return true;
    }
    if (found == NULL && rest[0] == '\0') {
        refuse(explorer, "name a characteristic; tree lists them");
        return false;
    }
    (void)snprintf(name, NAME_MOST, "%s", found != NULL ? found : rest);
    if (found == NULL) /* the step says so */
        *value = "?";
    return true;
}

/* What a person writes as a value: in words, or bytes behind the word. */
static json_t *value_step(const char *verb, const char *name, const char *value)
{
    static const char raw[] = "bytes ";
    bool bytes = strncmp(value, raw, strlen(raw)) == 0;
    return json_pack("{s:s, s:s}", verb, name, bytes ? "bytes" : "to", bytes ? value + strlen(raw) : value);
}

static bool needs_value(struct explorer *explorer, const char *name, const char *value)
{
    if (value[0] == '\0')
        refuse(explorer, "%s takes a value behind its name; the tabulator key may know some", name);
    return value[0] != '\0';
}

static bool needs_connection(struct explorer *explorer)
{
    if (peer_of(explorer) != NULL)
        return true;
    refuse(explorer, "there is no connection: connect first");
    return false;
}

/* commands */

static void run_listen(struct explorer *explorer, const char *rest)
{
    uint64_t us = 3000000;
    static const struct ys_wanted nobody = {.name = NULL};
    struct ys_task *task = ys_new(sizeof *task);
    if (rest[0] != '\0' && (!ys_duration_parse(rest, &us) || us == 0)) {
        refuse(explorer, "listen takes a time, such as 3 s");
        free(task);
        return;
    }
    explorer->tasks = ys_grow(explorer->tasks, explorer->task_count, sizeof(struct ys_task *));
    explorer->tasks[explorer->task_count++] = task;
    ys_begin_find(task, central_of(explorer), &nobody, us * YS_NS_PER_US);
    ys_world_run(ys_stage_world(explorer->stage), us * YS_NS_PER_US);
}

static void run_connect(struct explorer *explorer, const char *rest)
{
    (void)rest;
    (void)do_step(explorer, json_pack("{s:s}", "connect", "device"));
}

static void run_disconnect(struct explorer *explorer, const char *rest)
{
    (void)rest;
    if (needs_connection(explorer))
        (void)do_step(explorer, json_pack("{s:s}", "disconnect", "device"));
}

/* What is named must have been discovered. */
static bool needs_tree(struct explorer *explorer)
{
    if (!needs_connection(explorer))
        return false;
    if (ys_peer_value_count(peer_of(explorer)) > 0)
        return true;
    explorer->silent = true;
    bool good = do_step(explorer, json_pack("{s:s}", "discover", "device"));
    explorer->silent = false;
    return good;
}

/* A value of the tree, read without a word in the log. */
static void read_quietly(struct explorer *explorer, struct ys_peer *peer, uint16_t handle, char text[VALUE_TEXT])
{
    struct ys_task *task = ys_new(sizeof *task);
    explorer->tasks = ys_grow(explorer->tasks, explorer->task_count, sizeof(struct ys_task *));
    explorer->tasks[explorer->task_count++] = task;
    explorer->silent = true;
    ys_begin_read(task, peer, handle);
    bool good = ys_task_wait(task);
    explorer->silent = false;
    if (good)
        ys_value_show(ys_peer_field(peer, handle), task->value, task->length, text, VALUE_TEXT);
    else
        (void)snprintf(text, VALUE_TEXT, "(%s)", task->answered ? ys_att_error_text(task->error) : "no answer");
}

static void run_tree(struct explorer *explorer, const char *rest)
{
    const struct ys_found *found;
    (void)rest;
    bool good = needs_tree(explorer);
    struct ys_peer *peer = peer_of(explorer);
    for (size_t i = 0; good && (found = ys_peer_item(peer, i)) != NULL; i++) {
        char text[VALUE_TEXT] = "";
        char properties[100];
        if (found->kind == YS_FOUND_SERVICE)
            (void)printf("  %s\n", ys_peer_item_name(peer, i));
        if (found->kind != YS_FOUND_CHARACTERISTIC)
            continue;
        if ((found->properties & YS_PROPERTY_READ) != 0)
            read_quietly(explorer, peer, found->value_handle, text);
        ys_properties_say(found->properties, properties, sizeof properties);
        (void)printf("    0x%04X  %-28s %-24s %s\n", found->value_handle, ys_peer_item_name(peer, i), properties, text);
    }
}

static bool is_steady(const struct explorer *explorer, const char *name)
{
    const struct ys_actor *actor = &explorer->scene->actors[EXPLORED_DEVICE];
    for (size_t i = 0; i < actor->design->service_count; i++) {
        const struct ys_characteristic *one = ys_characteristic_named(&actor->design->services[i], name);
        if (one != NULL)
            return one->stand_in.shape < YS_SHAPE_RAMP && (actor->module == NULL || !one->read_handler);
    }
    return false;
}

/* A value that does not move by itself is expected again when the scene is played. */
static void expect_again(struct explorer *explorer, const char *name)
{
    const struct ys_done_step *done = &explorer->take.steps[explorer->take.step_count - 1];
    json_t *step = explorer->session.steps[explorer->session.count - 1].step;
    const char *end = strstr(done->came, "  [");
    char text[300];
    if (!is_steady(explorer, name) || strcmp(done->came, "(empty)") == 0)
        return;
    (void)snprintf(text, sizeof text, "%.*s", (int)(end != NULL ? (size_t)(end - done->came) : strlen(done->came)),
                   done->came);
    (void)json_object_set_new(step, "is", json_string(text));
}

static void run_read(struct explorer *explorer, const char *rest)
{
    char name[NAME_MOST];
    const char *value;
    if (!needs_tree(explorer) || !split(explorer, rest, false, name, &value))
        return;
    if (do_step(explorer, json_pack("{s:s}", "read", name)))
        expect_again(explorer, name);
}

static void write_value(struct explorer *explorer, const char *rest, bool response)
{
    char name[NAME_MOST];
    const char *value;
    if (!needs_tree(explorer) || !split(explorer, rest, false, name, &value) || !needs_value(explorer, name, value))
        return;
    json_t *step = value_step("write", name, value);
    (void)json_object_set_new(step, "response", json_string(response ? "true" : "false"));
    (void)do_step(explorer, step);
}

static void run_write(struct explorer *explorer, const char *rest)
{
    write_value(explorer, rest, true);
}

static void run_tell(struct explorer *explorer, const char *rest)
{
    write_value(explorer, rest, false);
}

static void run_subscribe(struct explorer *explorer, const char *rest)
{
    char name[NAME_MOST];
    const char *value;
    if (needs_tree(explorer) && split(explorer, rest, false, name, &value))
        (void)do_step(explorer, json_pack("{s:s}", "subscribe", name));
}

static void run_unsubscribe(struct explorer *explorer, const char *rest)
{
    char name[NAME_MOST];
    const char *value;
    if (needs_tree(explorer) && split(explorer, rest, false, name, &value))
        (void)do_step(explorer, json_pack("{s:s}", "unsubscribe", name));
}

static void run_pair(struct explorer *explorer, const char *rest)
{
    if (!needs_connection(explorer))
        return;
    if (rest[0] == '\0')
        (void)do_step(explorer, json_pack("{s:s}", "pair", "device"));
    else
        (void)do_step(explorer, json_pack("{s:s,s:s}", "pair", "device", "passkey", rest));
}

static void run_forget(struct explorer *explorer, const char *rest)
{
    bool device = strcmp(rest, "device") == 0;
    if (rest[0] != '\0' && !device && strcmp(rest, "central") != 0)
        refuse(explorer, "who is to forget: the central, or the device? such as: forget device");
    else if (device)
        (void)do_step(explorer, json_pack("{s:s,s:s}", "forget", "everybody", "who", "device"));
    else
        (void)do_step(explorer, json_pack("{s:s,s:s}", "forget", "everybody", "who", "central"));
}

static void run_set(struct explorer *explorer, const char *rest)
{
    char name[NAME_MOST];
    const char *value;
    char names[300];
    const struct ys_actor *actor = &explorer->scene->actors[EXPLORED_DEVICE];
    if (!split(explorer, rest, true, name, &value))
        return;
    if (actor->module != NULL &&
        !ys_device_has_input(ys_stage_device(explorer->stage, EXPLORED_DEVICE), name, names, sizeof names))
        refuse(explorer, "the firmware has no input \"%s\"; it has %s", name, names[0] != '\0' ? names : "none");
    else if (needs_value(explorer, name, value))
        (void)do_step(explorer, value_step("set", name, value));
}

static void run_power(struct explorer *explorer, const char *rest)
{
    (void)do_step(explorer, json_pack("{s:s, s:s}", "power", rest, "who", "device"));
}

static void run_walk(struct explorer *explorer, const char *rest)
{
    (void)do_step(explorer, json_pack("{s:[s, s], s:s}", "walk", rest, "0 m", "who", "central"));
}

/* Values that come meanwhile are expected again. */
static void run_wait(struct explorer *explorer, const char *rest)
{
    struct ys_central *central = central_of(explorer);
    uint64_t before = ys_central_received(central);
    if (!do_step(explorer, json_pack("{s:s}", "wait", rest[0] != '\0' ? rest : "1 s")))
        return;
    const struct ys_characteristic *last = NULL;
    for (uint64_t i = before; i < ys_central_received(central); i++) {
        const struct ys_arrival *arrival = ys_central_arrival(central, i);
        const struct ys_characteristic *one =
            arrival != NULL ? ys_peer_characteristic(arrival->peer, arrival->handle) : NULL;
        if (one != NULL && one != last)
            session_add(&explorer->session, json_pack("{s:s, s:s}", "expect", one->name, "within", "10 s"),
                        now_ns(explorer), now_ns(explorer));
        last = one;
    }
}

static void run_clock(struct explorer *explorer, const char *rest)
{
    if (strcmp(rest, "run") == 0 || strcmp(rest, "stand") == 0)
        explorer->clock_runs = rest[0] == 'r' && prompt_is_terminal(explorer->prompt);
    else if (rest[0] != '\0')
        refuse(explorer, "clock run, or clock stand");
    (void)printf("  time %s\n", explorer->clock_runs ? "runs with the clock" : "stands, but for what you do; wait 1 s");
}

static void put_line(void *context, const char *text)
{
    (void)context;
    (void)printf("  %s\n", text);
}

static void run_packets(struct explorer *explorer, const char *rest)
{
    unsigned long long count = 10;
    bool all = strncmp(rest, "all", 3) == 0;
    rest += all ? 3 : 0;
    rest += strspn(rest, " ");
    if (rest[0] != '\0' && (!parse_number(rest, &count) || count == 0 || count > 500))
        refuse(explorer, "packets takes how many, 1 to 500; packets all 20 shows empty ones and advertising, too");
    else
        ys_packets_say(ys_stage_packets(explorer->stage), (size_t)count, all, put_line, NULL);
}

static void run_save(struct explorer *explorer, const char *rest)
{
    if (rest[0] == '\0')
        refuse(explorer, "save takes a file, such as mine.scene.yaml");
    else if (session_save(&explorer->session, rest, explorer->head))
        (void)printf("  saved; yarnswift rehearse %s plays it\n", rest);
    else
        explorer->wrong = true;
}

static void run_quit(struct explorer *explorer, const char *rest)
{
    (void)rest;
    explorer->quits = true;
}

static void run_help(struct explorer *explorer, const char *rest);

static const struct command commands[] = {
    {"listen", "[TIME]", "scan, and list who is heard, how strong, and what it promises", run_listen},
    {"connect", "", "connect to the device", run_connect},
    {"tree", "", "what it has: services, characteristics, their values in words", run_tree},
    {"read", "NAME", "read a value", run_read},
    {"write", "NAME VALUE", "write a value, in words (42.0 N m), or as bytes a4 01", run_write},
    {"tell", "NAME VALUE", "write it without asking for a response", run_tell},
    {"subscribe", "NAME", "let its values come, as they change", run_subscribe},
    {"unsubscribe", "NAME", "let no more come", run_unsubscribe},
    {"set", "NAME VALUE", "change a value at the device, as a sensor or a button does", run_set},
    {"wait", "[TIME]", "let virtual time pass: 1 s, or 250 ms, or 2 h", run_wait},
    {"clock", "run|stand", "let time run with the clock while you type, or stand", run_clock},
    {"packets", "[all] [NUMBER]", "the last packets on the air, in words", run_packets},
    {"walk", "DISTANCE", "go to this distance from the device, such as 40 m", run_walk},
    {"pair", "[PEOPLE]", "pair, while people do what is right, wrong, nothing, cancel, or enter 123456", run_pair},
    {"forget", "[central|device]", "that one forgets whom it has paired with", run_forget},
    {"power", "off|on|cycle", "switch the device off or on", run_power},
    {"disconnect", "", "end the connection", run_disconnect},
    {"save", "FILE", "save what was done as a scene that passes", run_save},
    {"help", "[COMMAND]", "this list", run_help},
    {"quit", "", "leave", run_quit},
};

#define COMMAND_COUNT (sizeof commands / sizeof commands[0])

static void run_help(struct explorer *explorer, const char *rest)
{
    const char *ignored;
    const struct command *one = rest[0] != '\0' ? find_command(rest, &ignored) : NULL;
    if (rest[0] != '\0' && one == NULL) {
        refuse(explorer, "there is no command \"%s\"", rest);
        return;
    }
    for (const struct command *command = commands; command < commands + COMMAND_COUNT; command++) {
        char usage[40];
        if (one != NULL && one != command)
            continue;
        (void)snprintf(usage, sizeof usage, "%s %s", command->name, command->takes);
        (void)printf("  %-24s %s\n", usage, command->about);
    }
}

static const struct command *find_command(const char *line, const char **rest)
{
    size_t length = strcspn(line, " ");
    *rest = line + length + strspn(line + length, " ");
    for (size_t i = 0; i < COMMAND_COUNT; i++) {
        if (strlen(commands[i].name) == length && strncmp(commands[i].name, line, length) == 0)
            return &commands[i];
    }
    return NULL;
}

void explore_line(struct explorer *explorer, const char *line)
{
    char text[1024];
    const char *rest;
    line += strspn(line, " \t");
    (void)snprintf(text, sizeof text, "%s", line);
    for (size_t end = strlen(text); end > 0 && (text[end - 1] == ' ' || text[end - 1] == '\t'); end--)
        text[end - 1] = '\0';
    if (text[0] == '\0' || text[0] == '#')
        return;
    const struct command *command = find_command(text, &rest);
    if (command != NULL) {
        command->run(explorer, rest);
        return;
    }
    const char *names[COMMAND_COUNT];
    char word[64];
    for (size_t i = 0; i < COMMAND_COUNT; i++)
        names[i] = commands[i].name;
    (void)snprintf(word, sizeof word, "%.*s", (int)strcspn(text, " "), text);
    const char *nearest = ys_word_nearest(word, names, COMMAND_COUNT);
    if (nearest != NULL)
        refuse(explorer, "there is no command \"%s\"; did you mean %s?", word, nearest);
    else
        refuse(explorer, "there is no command \"%s\"; help lists them", word);
}

/* completion */

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

static void offer_names(struct completion *completion, const struct explorer *explorer, bool inputs)
{
    const struct ys_design *design = explorer->scene->actors[EXPLORED_DEVICE].design;
    const struct ys_device *device = ys_stage_device(explorer->stage, EXPLORED_DEVICE);
    const char *name;
    bool firmware = explorer->scene->actors[EXPLORED_DEVICE].module != NULL;
    for (size_t i = 0; inputs && (name = ys_device_input(device, i)) != NULL; i++)
        offer(completion, name);
    for (size_t i = 0; i < design->service_count && !(inputs && firmware); i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++)
            offer(completion, design->services[i].characteristics[j].name);
    }
}

/* Values of which there are few, or the ends of a range. */
static void offer_values(struct completion *completion, struct explorer *explorer, const char *name)
{
    const struct ys_design *design = explorer->scene->actors[EXPLORED_DEVICE].design;
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
}

size_t explore_complete(void *context, const char *line, size_t *from, const char **words, size_t most)
{
    struct explorer *explorer = context;
    struct completion completion = {.typed = line, .words = words, .most = most};
    const char *rest;
    const char *value;
    const struct command *command = find_command(line, &rest);
    *from = 0;
    if (command == NULL || line[strlen(command->name)] != ' ') {
        for (size_t i = 0; i < COMMAND_COUNT; i++)
            offer(&completion, commands[i].name);
        return completion.count;
    }
    bool inputs = command->run == run_set;
    bool named = strncmp(command->takes, "NAME", 4) == 0;
    const char *name = named ? name_in(explorer, rest, inputs, &value) : NULL;
    completion.typed = name != NULL && value[-1] == ' ' ? value : rest;
    *from = (size_t)(completion.typed - line);
    if (name != NULL && completion.typed == value)
        offer_values(&completion, explorer, name);
    else if (named)
        offer_names(&completion, explorer, inputs);
    else if (command->run == run_clock || command->run == run_power) {
        static const char *const few[] = {"run", "stand", "off", "on", "cycle"};
        for (size_t i = command->run == run_clock ? 0 : 2; i < (command->run == run_clock ? 2u : 5u); i++)
            offer(&completion, few[i]);
    } else if (command->run == run_help) {
        for (size_t i = 0; i < COMMAND_COUNT; i++)
            offer(&completion, commands[i].name);
    }
    return completion.count;
}
