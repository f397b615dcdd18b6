/* What can be done at the prompt of explore. */
#include "cli/explore/commands.h"

#include <stdlib.h>
#include <string.h>

#include "cli/explore/doing.h"
#include "cli/explore/naming.h"
#include "cli/explore/prompt.h"
#include "cli/explore/session.h"
#include "cli/shared/options.h"
#include "design/making/value_unknown.h"
#include "design/model/memory.h"
#include "design/model/words.h"
#include "wire/utf8.h"

#define VALUE_TEXT 400

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
        explorer_refuse(explorer, "%s takes a value behind its name; the tabulator key may know some", name);
    return value[0] != '\0';
}

static bool needs_connection(struct explorer *explorer)
{
    if (explorer_peer(explorer) != NULL)
        return true;
    explorer_refuse(explorer, "there is no connection: connect first");
    return false;
}

static void run_listen(struct explorer *explorer, const char *rest)
{
    uint64_t us = 3000000;
    static const struct ys_wanted nobody = {.name = NULL};
    struct ys_task *task = ys_new(sizeof *task);
    if (rest[0] != '\0' && (!ys_duration_parse(rest, &us) || us == 0)) {
        explorer_refuse(explorer, "listen takes a time, such as 3 s");
        free(task);
        return;
    }
    explorer->tasks = ys_grow(explorer->tasks, explorer->task_count, sizeof(struct ys_task *));
    explorer->tasks[explorer->task_count++] = task;
    ys_begin_find(task, explorer_central(explorer), &nobody, us * YS_NS_PER_US);
    ys_world_run(ys_stage_world(explorer->stage), us * YS_NS_PER_US);
}

static void run_connect(struct explorer *explorer, const char *rest)
{
    (void)rest;
    (void)explorer_do(explorer, json_pack("{s:s}", "connect", "device"));
}

static void run_disconnect(struct explorer *explorer, const char *rest)
{
    (void)rest;
    if (needs_connection(explorer))
        (void)explorer_do(explorer, json_pack("{s:s}", "disconnect", "device"));
}

/* What is named must have been discovered. */
static bool needs_tree(struct explorer *explorer)
{
    if (!needs_connection(explorer))
        return false;
    if (ys_peer_value_count(explorer_peer(explorer)) > 0)
        return true;
    explorer->silent = true;
    bool good = explorer_do(explorer, json_pack("{s:s}", "discover", "device"));
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
    struct ys_peer *peer = explorer_peer(explorer);
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
    char name[EXPLORER_NAME];
    const char *value;
    if (!needs_tree(explorer) || !explorer_split(explorer, rest, false, name, &value))
        return;
    if (explorer_do(explorer, json_pack("{s:s}", "read", name)))
        expect_again(explorer, name);
}

static void write_value(struct explorer *explorer, const char *rest, bool response)
{
    char name[EXPLORER_NAME];
    const char *value;
    if (!needs_tree(explorer) || !explorer_split(explorer, rest, false, name, &value) ||
        !needs_value(explorer, name, value))
        return;
    json_t *step = value_step("write", name, value);
    (void)json_object_set_new(step, "response", json_string(response ? "true" : "false"));
    (void)explorer_do(explorer, step);
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
    char name[EXPLORER_NAME];
    const char *value;
    if (needs_tree(explorer) && explorer_split(explorer, rest, false, name, &value))
        (void)explorer_do(explorer, json_pack("{s:s}", "subscribe", name));
}

static void run_unsubscribe(struct explorer *explorer, const char *rest)
{
    char name[EXPLORER_NAME];
    const char *value;
    if (needs_tree(explorer) && explorer_split(explorer, rest, false, name, &value))
        (void)explorer_do(explorer, json_pack("{s:s}", "unsubscribe", name));
}

static void run_pair(struct explorer *explorer, const char *rest)
{
    if (!needs_connection(explorer))
        return;
    if (rest[0] == '\0')
        (void)explorer_do(explorer, json_pack("{s:s}", "pair", "device"));
    else
        (void)explorer_do(explorer, json_pack("{s:s,s:s}", "pair", "device", "passkey", rest));
}

static void run_forget(struct explorer *explorer, const char *rest)
{
    bool device = strcmp(rest, "device") == 0;
    if (rest[0] != '\0' && !device && strcmp(rest, "central") != 0)
        explorer_refuse(explorer, "who is to forget: the central, or the device? such as: forget device");
    else if (device)
        (void)explorer_do(explorer, json_pack("{s:s,s:s}", "forget", "everybody", "who", "device"));
    else
        (void)explorer_do(explorer, json_pack("{s:s,s:s}", "forget", "everybody", "who", "central"));
}

static void run_set(struct explorer *explorer, const char *rest)
{
    char name[EXPLORER_NAME];
    const char *value;
    char names[300];
    const struct ys_actor *actor = &explorer->scene->actors[EXPLORED_DEVICE];
    if (!explorer_split(explorer, rest, true, name, &value))
        return;
    if (actor->module != NULL &&
        !ys_device_has_input(ys_stage_device(explorer->stage, EXPLORED_DEVICE), name, names, sizeof names))
        explorer_refuse(explorer, "the firmware has no input \"%s\"; it has %s", name,
                        names[0] != '\0' ? names : "none");
    else if (needs_value(explorer, name, value))
        (void)explorer_do(explorer, value_step("set", name, value));
}

static void run_power(struct explorer *explorer, const char *rest)
{
    (void)explorer_do(explorer, json_pack("{s:s, s:s}", "power", rest, "who", "device"));
}

static void run_walk(struct explorer *explorer, const char *rest)
{
    (void)explorer_do(explorer, json_pack("{s:[s, s], s:s}", "walk", rest, "0 m", "who", "central"));
}

/* Values that come meanwhile are expected again. */
static void run_wait(struct explorer *explorer, const char *rest)
{
    struct ys_central *central = explorer_central(explorer);
    uint64_t before = ys_central_received(central);
    if (!explorer_do(explorer, json_pack("{s:s}", "wait", rest[0] != '\0' ? rest : "1 s")))
        return;
    const struct ys_characteristic *last = NULL;
    for (uint64_t i = before; i < ys_central_received(central); i++) {
        const struct ys_arrival *arrival = ys_central_arrival(central, i);
        const struct ys_characteristic *one =
            arrival != NULL ? ys_peer_characteristic(arrival->peer, arrival->handle) : NULL;
        if (one != NULL && one != last)
            session_add(&explorer->session, json_pack("{s:s, s:s}", "expect", one->name, "within", "10 s"),
                        explorer_now_ns(explorer), explorer_now_ns(explorer));
        last = one;
    }
}

static void run_clock(struct explorer *explorer, const char *rest)
{
    if (strcmp(rest, "run") == 0 || strcmp(rest, "stand") == 0)
        explorer->clock_runs = rest[0] == 'r' && prompt_is_terminal(explorer->prompt);
    else if (rest[0] != '\0')
        explorer_refuse(explorer, "clock run, or clock stand");
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
        explorer_refuse(explorer,
                        "packets takes how many, 1 to 500; packets all 20 shows empty ones and advertising, too");
    else
        ys_packets_say(ys_stage_packets(explorer->stage), (size_t)count, all, put_line, NULL);
}

static void run_save(struct explorer *explorer, const char *rest)
{
    if (rest[0] == '\0')
        explorer_refuse(explorer, "save takes a file, such as mine.scene.yaml");
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

static const char *const clock_choices[] = {"run", "stand", NULL};
static const char *const power_choices[] = {"off", "on", "cycle", NULL};

const struct command explore_commands[COMMANDS] = {
    {"listen", "[TIME]", "scan, and list who is heard, how strong, and what it promises", run_listen, false, NULL},
    {"connect", "", "connect to the device", run_connect, false, NULL},
    {"tree", "", "what it has: services, characteristics, their values in words", run_tree, false, NULL},
    {"read", "NAME", "read a value", run_read, false, NULL},
    {"write", "NAME VALUE", "write a value, in words (42.0 N m), or as bytes a4 01", run_write, false, NULL},
    {"tell", "NAME VALUE", "write it without asking for a response", run_tell, false, NULL},
    {"subscribe", "NAME", "let its values come, as they change", run_subscribe, false, NULL},
    {"unsubscribe", "NAME", "let no more come", run_unsubscribe, false, NULL},
    {"set", "NAME VALUE", "change a value at the device, as a sensor or a button does", run_set, true, NULL},
    {"wait", "[TIME]", "let virtual time pass: 1 s, or 250 ms, or 2 h", run_wait, false, NULL},
    {"clock", "run|stand", "let time run with the clock while you type, or stand", run_clock, false, clock_choices},
    {"packets", "[all] [NUMBER]", "the last packets on the air, in words", run_packets, false, NULL},
    {"walk", "DISTANCE", "go to this distance from the device, such as 40 m", run_walk, false, NULL},
    {"pair", "[PEOPLE]", "pair, while people do what is right, wrong, nothing, cancel, or enter 123456", run_pair,
     false, NULL},
    {"forget", "[central|device]", "that one forgets whom it has paired with", run_forget, false, NULL},
    {"power", "off|on|cycle", "switch the device off or on", run_power, false, power_choices},
    {"disconnect", "", "end the connection", run_disconnect, false, NULL},
    {"save", "FILE", "save what was done as a scene that passes", run_save, false, NULL},
    {"help", "[COMMAND]", "this list", run_help, false, NULL},
    {"quit", "", "leave", run_quit, false, NULL},
};

static void run_help(struct explorer *explorer, const char *rest)
{
    const char *ignored;
    const struct command *one = rest[0] != '\0' ? command_find(rest, &ignored) : NULL;
    if (rest[0] != '\0' && one == NULL) {
        explorer_refuse(explorer, "there is no command \"%s\"", rest);
        return;
    }
    for (const struct command *command = explore_commands; command < explore_commands + COMMANDS; command++) {
        char usage[40];
        if (one != NULL && one != command)
            continue;
        (void)snprintf(usage, sizeof usage, "%s %s", command->name, command->takes);
        (void)printf("  %-24s %s\n", usage, command->about);
    }
}

const struct command *command_find(const char *line, const char **rest)
{
    size_t length = strcspn(line, " ");
    *rest = line + length + strspn(line + length, " ");
    for (size_t i = 0; i < COMMANDS; i++) {
        if (strlen(explore_commands[i].name) == length && strncmp(explore_commands[i].name, line, length) == 0)
            return &explore_commands[i];
    }
    return NULL;
}

/* Copies a line with spaces for tabulators; false if it is no plain text, or too long. */
static bool copy_line(const char *line, char *text, size_t size)
{
    size_t length = strlen(line);
    if (length >= size)
        return false;
    for (size_t i = 0, whole; i < length; i += whole) {
        whole = line[i] == '\t' ? 1 : ys_utf8_plain(line + i, length - i);
        if (whole == 0)
            return false;
        memcpy(text + i, line[i] == '\t' ? " " : line + i, whole);
    }
    text[length] = '\0';
    return true;
}

void explore_line(struct explorer *explorer, const char *line)
{
    char text[1024];
    const char *rest;
    line += strspn(line, " \t");
    if (!copy_line(line, text, sizeof text)) {
        explorer_refuse(explorer, "a line is at most %zu bytes of plain text in UTF-8", sizeof text - 1);
        return;
    }
    for (size_t end = strlen(text); end > 0 && text[end - 1] == ' '; end--)
        text[end - 1] = '\0';
    if (text[0] == '\0' || text[0] == '#')
        return;
    const struct command *command = command_find(text, &rest);
    if (command != NULL) {
        command->run(explorer, rest);
        return;
    }
    const char *names[COMMANDS];
    char word[64];
    for (size_t i = 0; i < COMMANDS; i++)
        names[i] = explore_commands[i].name;
    (void)snprintf(word, sizeof word, "%.*s", (int)strcspn(text, " "), text);
    const char *nearest = ys_word_nearest(word, names, COMMANDS);
    if (nearest != NULL)
        explorer_refuse(explorer, "there is no command \"%s\"; did you mean %s?", word, nearest);
    else
        explorer_refuse(explorer, "there is no command \"%s\"; help lists them", word);
}
