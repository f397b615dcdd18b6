/* What can be done at the prompt of explore. */
#include "cli/explore/commands.h"

#include <stdlib.h>
#include <string.h>

#include "cli/explore/doing.h"
#include "cli/explore/listening.h"
#include "cli/explore/naming.h"
#include "cli/explore/prompt.h"
#include "cli/explore/session.h"
#include "cli/shared/options.h"
#include "design/making/value_unknown.h"
#include "design/model/memory.h"
#include "design/model/words.h"
#include "wire/utf8.h"

#define VALUE_TEXT 400

/* A value as a person writes it: in words, or bytes after the word. */
static json_t *value_step(const char *verb, const char *name, const char *value)
{
    static const char raw[] = "bytes ";
    bool bytes = strncmp(value, raw, strlen(raw)) == 0;
    return json_pack("{s:s, s:s}", verb, name, bytes ? "bytes" : "to", bytes ? value + strlen(raw) : value);
}

static bool needs_value(struct explorer *explorer, const char *name, const char *value)
{
    if (value[0] == '\0')
        explorer_refuse(explorer, "%s needs a value after the name; the tab key suggests values", name);
    return value[0] != '\0';
}

static bool needs_connection(struct explorer *explorer)
{
    if (explorer_peer(explorer) != NULL)
        return true;
    explorer_refuse(explorer, "not connected: connect first");
    return false;
}

/* The device that a command names; false after a line if it names an unknown one. */
static bool takes_device(struct explorer *explorer, const char **rest)
{
    if (rest[0][0] == '\0' || explorer_take_device(explorer, rest))
        return true;
    explorer_refuse(explorer, "unknown device \"%s\"; listen shows all devices", *rest);
    return false;
}

static void run_find(struct explorer *explorer, const char *rest)
{
    if (rest[0] == '\0')
        explorer_refuse(explorer, "find needs a name; listen shows all devices");
    else
        (void)explorer_do(explorer, json_pack("{s:s}", "find", rest));
}

static void run_connect(struct explorer *explorer, const char *rest)
{
    if (takes_device(explorer, &rest))
        (void)explorer_do(explorer, json_pack("{s:s}", "connect", explorer_device(explorer)));
}

static void run_disconnect(struct explorer *explorer, const char *rest)
{
    if (takes_device(explorer, &rest) && needs_connection(explorer))
        (void)explorer_do(explorer, json_pack("{s:s}", "disconnect", explorer_device(explorer)));
}

static void run_discover(struct explorer *explorer, const char *rest)
{
    if (takes_device(explorer, &rest) && needs_connection(explorer))
        (void)explorer_do(explorer, json_pack("{s:s}", "discover", explorer_device(explorer)));
}

/* What is named must have been discovered. */
static bool needs_tree(struct explorer *explorer)
{
    if (!needs_connection(explorer))
        return false;
    if (ys_peer_value_count(explorer_peer(explorer)) > 0)
        return true;
    explorer->silent = true;
    bool good = explorer_do(explorer, json_pack("{s:s}", "discover", explorer_device(explorer)));
    explorer->silent = false;
    return good;
}

/* A characteristic, followed by the rest of the line. Its device becomes the current one, and its table must be
 * known. */
static bool names_value(struct explorer *explorer, const char *rest, char name[EXPLORER_NAME], const char **value)
{
    return needs_connection(explorer) && explorer_split(explorer, rest, false, name, value) && needs_tree(explorer);
}

/* A value of the tree, read without a word in the log. */
static void read_quietly(struct explorer *explorer, struct ys_peer *peer, uint16_t handle, char text[VALUE_TEXT])
{
    struct ys_task *task = ys_new(sizeof *task);
    explorer_keep(explorer, task);
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
    bool good = takes_device(explorer, &rest) && needs_tree(explorer);
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
    const struct ys_actor *actor = &explorer->scene->actors[explorer->current];
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
    if (!names_value(explorer, rest, name, &value))
        return;
    if (explorer_do(explorer, explorer_name(explorer, json_pack("{s:s}", "read", name), "of")))
        expect_again(explorer, name);
}

/* Cuts the end off a text, if it is this. */
static bool cut_end(char *text, const char *end)
{
    size_t length = strlen(text);
    size_t ending = strlen(end);
    if (length < ending || strcmp(text + length - ending, end) != 0)
        return false;
    text[length - ending] = '\0';
    return true;
}

static void run_write(struct explorer *explorer, const char *rest)
{
    char text[1024];
    char name[EXPLORER_NAME];
    const char *value;
    (void)snprintf(text, sizeof text, "%s", rest);
    bool response = !cut_end(text, " without response");
    if (!names_value(explorer, text, name, &value) || !needs_value(explorer, name, value))
        return;
    json_t *step = explorer_name(explorer, value_step("write", name, value), "of");
    (void)json_object_set_new(step, "response", json_string(response ? "true" : "false"));
    (void)explorer_do(explorer, step);
}

static void run_subscribe(struct explorer *explorer, const char *rest)
{
    char name[EXPLORER_NAME];
    const char *value;
    if (names_value(explorer, rest, name, &value))
        (void)explorer_do(explorer, explorer_name(explorer, json_pack("{s:s}", "subscribe", name), "of"));
}

static void run_unsubscribe(struct explorer *explorer, const char *rest)
{
    char name[EXPLORER_NAME];
    const char *value;
    if (names_value(explorer, rest, name, &value))
        (void)explorer_do(explorer, explorer_name(explorer, json_pack("{s:s}", "unsubscribe", name), "of"));
}

static void run_pair(struct explorer *explorer, const char *rest)
{
    (void)explorer_take_device(explorer, &rest);
    if (!needs_connection(explorer))
        return;
    json_t *step = json_pack("{s:s}", "pair", explorer_device(explorer));
    if (rest[0] != '\0')
        (void)json_object_set_new(step, "passkey", json_string(rest));
    (void)explorer_do(explorer, step);
}

static void run_forget(struct explorer *explorer, const char *rest)
{
    const char *who = "central";
    if (rest[0] != '\0' && strcmp(rest, who) != 0) {
        if (!explorer_take_device(explorer, &rest)) {
            explorer_refuse(explorer, "forget needs the central or a device, such as: forget %s",
                            explorer_device(explorer));
            return;
        }
        who = explorer_device(explorer);
    }
    if (explorer_do(explorer, json_pack("{s:s,s:s}", "forget", "everybody", "who", who)))
        (void)printf("  all bonds of %s are deleted\n", who);
}

static void run_set(struct explorer *explorer, const char *rest)
{
    char name[EXPLORER_NAME];
    const char *value;
    char names[300];
    const struct ys_actor *actor = &explorer->scene->actors[explorer->current];
    if (!explorer_split(explorer, rest, true, name, &value))
        return;
    if (actor->module != NULL &&
        !ys_device_has_input(ys_stage_device(explorer->stage, explorer->current), name, names, sizeof names))
        explorer_refuse(explorer, "the firmware has no input \"%s\"; it has %s", name,
                        names[0] != '\0' ? names : "none");
    else if (needs_value(explorer, name, value))
        (void)explorer_do(explorer, explorer_name(explorer, value_step("set", name, value), "who"));
}

static void run_power(struct explorer *explorer, const char *rest)
{
    char what[32];
    const char *whose = rest + strcspn(rest, " ");
    (void)snprintf(what, sizeof what, "%.*s", (int)(whose - rest), rest);
    whose += strspn(whose, " ");
    if (takes_device(explorer, &whose))
        (void)explorer_do(explorer, json_pack("{s:s, s:s}", "power", what, "who", explorer_device(explorer)));
}

static void run_walk(struct explorer *explorer, const char *rest)
{
    (void)explorer_do(explorer, json_pack("{s:[s, s], s:s}", "walk", rest, "0 m", "who", "central"));
}

static void expect_value(struct explorer *explorer, const struct ys_peer *peer, const struct ys_characteristic *one)
{
    json_t *step = json_pack("{s:s, s:s}", "expect", one->name, "within", "10 s");
    for (size_t i = 0; i < explorer->central && explorer->central > 1; i++) {
        if (explorer_connection(explorer, i) == peer)
            (void)json_object_set_new(step, "of", json_string(explorer->scene->actors[i].name.text));
    }
    session_add(&explorer->session, step, explorer_now_ns(explorer), explorer_now_ns(explorer));
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
            expect_value(explorer, arrival->peer, one);
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
    {"listen", "[TIME] [WHOM]", "scan and list devices: name TEXT, service NAME, at least -70 dBm", listening_run,
     false, NULL},
    {"find", "NAME", "scan until this name is received", run_find, false, NULL},
    {"connect", "[DEVICE]", "connect to a device; to several, one after the other", run_connect, false, NULL},
    {"discover", "[DEVICE]", "discover its table, or use the remembered one", run_discover, false, NULL},
    {"tree", "[DEVICE]", "list services, characteristics and their values", run_tree, false, NULL},
    {"read", "NAME", "read a value; of another device: read NAME of DEVICE", run_read, false, NULL},
    {"write", "NAME VALUE", "write a value, in words (42.0 N m), or as bytes a4 01; without response", run_write, false,
     NULL},
    {"subscribe", "NAME", "subscribe to its values", run_subscribe, false, NULL},
    {"unsubscribe", "NAME", "stop the subscription", run_unsubscribe, false, NULL},
    {"set", "NAME VALUE", "change a value at the device, as a sensor or a button does", run_set, true, NULL},
    {"wait", "[TIME]", "let virtual time pass: 1 s, or 250 ms, or 2 h", run_wait, false, NULL},
    {"clock", "run|stand", "let time follow the clock, or stand still", run_clock, false, clock_choices},
    {"packets", "[all] [NUMBER]", "the last packets on the air, in words", run_packets, false, NULL},
    {"walk", "DISTANCE", "go to this distance from the device, such as 40 m", run_walk, false, NULL},
    {"pair", "[DEVICE] [PEOPLE]", "pair; people act right, wrong, do nothing, cancel, or enter 123456", run_pair, false,
     NULL},
    {"forget", "[DEVICE]", "delete the bonds of the device, or of the central", run_forget, false, NULL},
    {"power", "off|on|cycle [DEVICE]", "switch a device off or on", run_power, false, power_choices},
    {"disconnect", "[DEVICE]", "end the connection", run_disconnect, false, NULL},
    {"save", "FILE", "save the session as a scene that passes", run_save, false, NULL},
    {"help", "[COMMAND]", "this list", run_help, false, NULL},
    {"quit", "", "leave", run_quit, false, NULL},
};

static void run_help(struct explorer *explorer, const char *rest)
{
    const char *ignored;
    const struct command *one = rest[0] != '\0' ? command_find(rest, &ignored) : NULL;
    if (rest[0] != '\0' && one == NULL) {
        explorer_refuse(explorer, "unknown command \"%s\"", rest);
        return;
    }
    for (const struct command *command = explore_commands; command < explore_commands + COMMANDS; command++) {
        char usage[48];
        if (one != NULL && one != command)
            continue;
        (void)snprintf(usage, sizeof usage, "%s %s", command->name, command->takes);
        (void)printf("  %-28s %s\n", usage, command->about);
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

/* Copies a line, with spaces instead of tabs; false if it is not plain text, or too long. */
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

/* A step as it is written in a scene: read: preset, is: 120.0 N m. Its first word is a verb, with a colon after. */
static bool is_step(const char *text)
{
    const char *colon = strchr(text, ':');
    return text[0] == '{' || (colon != NULL && (colon[1] == ' ' || colon[1] == '\0') &&
                              strspn(text, "abcdefghijklmnopqrstuvwxyz ") == (size_t)(colon - text));
}

static void do_step(struct explorer *explorer, const char *text)
{
    char *braced = text[0] == '{' ? ys_copy(text, strlen(text)) : ys_new_text("{%s}", text);
    (void)explorer_do(explorer, json_string(braced));
    free(braced);
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
    if (is_step(text)) {
        do_step(explorer, text);
        return;
    }
    const struct command *command = command_find(text, &rest);
    if (command != NULL) {
        explorer_cut_device(explorer, text);
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
        explorer_refuse(explorer, "unknown command \"%s\"; did you mean %s?", word, nearest);
    else
        explorer_refuse(explorer, "unknown command \"%s\"; help lists all commands", word);
}
