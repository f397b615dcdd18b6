/* Reads a scene. */
#include "scene/scene_read.h"

#include <stddef.h>
#include <string.h>

#include <yarnswift/config.h>

#include "design/model/memory.h"
#include "design/model/words.h"
#include "design/reading/yaml.h"
#include "scene/scene.h"
#include "scene/scene_air_read.h"
#include "scene/scene_check.h"
#include "scene/verbs.h"

#define COUNT(array)  (sizeof(array) / sizeof((array)[0]))
#define STEP(member)  offsetof(struct ys_step, member)
#define ACTOR(member) offsetof(struct ys_actor, member)

static void error(const struct ys_node *node, const char *text)
{
    ys_findings_add(node->findings, YS_ERROR, "scene", node->place, "%s", text);
}

/* steps */

static bool take_verb(const struct ys_node *node, struct ys_step *step)
{
    if (step->verb != YS_VERB_NONE) {
        ys_findings_add(node->findings, YS_ERROR, "scene", node->place,
                        "this step has \"%s\" and \"%s\": a step has one verb, so make it two steps",
                        ys_verb_word(step->verb), node->key->name);
        return false;
    }
    step->verb = ys_verb_named(node->key->name);
    return true;
}

static void verb_text(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    if (!take_verb(node, step))
        return;
    step->object.place = node->place;
    step->object.text = ys_yaml_text(node);
}

static void verb_time(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    if (take_verb(node, step))
        (void)ys_yaml_time(node, &step->wait_us);
}

static void verb_word(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    if (take_verb(node, step))
        step->word = ys_yaml_word(node);
}

static void verb_repeat(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    if (!take_verb(node, step))
        return;
    step->repeat.place = node->place;
    step->repeat.given = ys_yaml_number(node, &step->repeat.number);
}

static void verb_walk(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    if (take_verb(node, step))
        ys_scene_place(node, &step->to);
}

static const struct ys_kind kind_channel = {.form = YS_NUMBER, .least = 0, .greatest = 39};

static void verb_jam(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    struct ys_node item;
    void *iterator = NULL;
    uint64_t channel = 0;
    if (!take_verb(node, step))
        return;
    if (!ys_yaml_is_sequence(node)) {
        step->channels = ys_yaml_word(node) == 1 ? (UINT64_C(1) << 40) - 1 : 0;
        return;
    }
    while (ys_yaml_next(node, &iterator, &item)) {
        if (ys_yaml_number(&item, &channel))
            step->channels |= UINT64_C(1) << channel;
    }
}

static void read_steps(const struct ys_node *node, struct ys_steps *steps);

static void verb_at_once(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    if (take_verb(node, step))
        read_steps(node, &step->steps);
}

static void key_steps(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    step->has_steps = true;
    read_steps(node, &step->steps);
}

/* One value, or two of them. */
static void read_pair(const struct ys_node *node, struct ys_written pair[2], size_t *count)
{
    struct ys_node item;
    void *iterator = NULL;
    for (*count = 0; ys_yaml_next(node, &iterator, &item); ++*count) {
        if (*count < 2)
            pair[*count] = (struct ys_written){.text = ys_yaml_text(&item), .place = item.place};
    }
    if (*count != 2 && ys_yaml_is_sequence(node))
        ys_findings_add(node->findings, YS_ERROR, "scene", node->place, "%s has two values: minimum and maximum",
                        node->key->name);
}

static void key_between(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    read_pair(node, step->between_text, &step->between_count);
}

static void key_rate(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    read_pair(node, step->rate_text, &step->rate_count);
}

static void key_order(const struct ys_node *node, void *target)
{
    struct ys_step *step = target;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        step->order_text = ys_grow(step->order_text, step->order_count, sizeof *step->order_text);
        step->order_text[step->order_count++] = (struct ys_written){.text = ys_yaml_value(&item), .place = item.place};
    }
}

static const char *const power_words[] = {"off", "on", "cycle", NULL};
static const char *const store_words[] = {"fails", "works", NULL};
static const struct ys_kind kind_store = {.form = YS_WORD, .words = store_words};
static const struct ys_kind kind_power = {.form = YS_WORD, .words = power_words};
static const char *const all_words[] = {"all", NULL};
static const struct ys_kind kind_all = {.form = YS_WORD, .words = all_words};
static const struct ys_kind kind_jam = {.form = YS_LIST, .items = &kind_channel, .otherwise = &kind_all};
static const struct ys_kind kind_repeat = {.form = YS_NUMBER, .least = 1, .greatest = 1000000};
static const struct ys_kind kind_steps;

static const char *const as_words[] = {"written", NULL};
static const struct ys_kind kind_as = {.form = YS_WORD, .words = as_words};

static const struct ys_key step_keys[] = {
    {"find", verb_text, &ys_kind_text, "Scan until this name is received", false, 0},
    {"find service", verb_text, &ys_kind_text, "Scan until an advertisement with this service is received", false, 0},
    {"find address", verb_text, &ys_kind_text, "Scan until this address, or this device of the scene, is received",
     false, 0},
    {"connect", verb_text, &ys_kind_text, "Connect to a device of the scene, or to the device that was found", false,
     0},
    {"disconnect", verb_text, &ys_kind_text, "Disconnect", false, 0},
    {"discover", verb_text, &ys_kind_text,
     "Discover the attribute table, or use the cached one, as the central's traits say", false, 0},
    {"read", verb_text, &ys_kind_text, "Read the value of a characteristic", false, 0},
    {"write", verb_text, &ys_kind_text, "Write the value of a characteristic", false, 0},
    {"subscribe", verb_text, &ys_kind_text, "Subscribe to notifications or indications", false, 0},
    {"unsubscribe", verb_text, &ys_kind_text, "Unsubscribe", false, 0},
    {"pair", verb_text, &ys_kind_text, "Pair, or encrypt with the stored key", false, 0},
    {"touch", verb_text, &ys_kind_text, "Touch a device: both get the out-of-band pairing data of the other", false, 0},
    {"forget", verb_text, &ys_kind_text, "Delete the bond with a peer, or with everybody", false, 0},
    {"send garbage", verb_text, &ys_kind_text, "Send random frames", false, 0},
    {"advertise", verb_word, &ys_kind_yes, "Make a central connectable, under its name", false, 0},
    {"expect", verb_text, &ys_kind_text, "Wait for values of a characteristic with a subscription", false, 0},
    {"expect none", verb_text, &ys_kind_text, "Fail if a value comes", false, 0},
    {"expect log", verb_text, &ys_kind_text, "Wait for a line with this text in a device's log", false, 0},
    {"expect no log", verb_text, &ys_kind_text, "Fail if a line with this text comes in a device's log", false, 0},
    {"expect disconnection", verb_text, &ys_kind_text, "Wait for the end of the connection", false, 0},
    {"set", verb_text, &ys_kind_text, "Set a value at the device, like a button or a sensor", false, 0},
    {"power", verb_word, &kind_power, "Switch a device or a central off or on, or off and on again", false, 0},
    {"store", verb_word, &kind_store, "Make the storage of a device or a central fail, or work again", false, 0},
    {"walk", verb_walk, &ys_kind_texts, "Move to this position", false, 0},
    {"jam", verb_jam, &kind_jam, "Block all packets on these channels", false, 0},
    {"wait", verb_time, &ys_kind_time, "Wait", false, 0},
    {"parallel", verb_at_once, &kind_steps, "Do these steps at the same time", false, 0},
    {"repeat", verb_repeat, &kind_repeat, "Repeat the steps this many times", false, 0},
    {"steps", key_steps, &kind_steps, "Steps to repeat; or steps of one central in sequence", false, 0},
    {"who", ys_key_written, &ys_kind_text, "Who does it", false, STEP(who_text)},
    {"of", ys_key_written, &ys_kind_text, "The device", false, STEP(of_text)},
    {"within", ys_key_time, &ys_kind_time, "Time limit", false, STEP(within_us)},
    {"for", ys_key_time, &ys_kind_time, "Duration", false, STEP(for_us)},
    {"is", ys_key_value, &ys_kind_text, "The expected value", false, STEP(is_text)},
    {"between", key_between, &ys_kind_texts, "Minimum and maximum of the value", false, 0},
    {"in order", key_order, &ys_kind_texts, "Values that must come in this order; others may come between them", false,
     0},
    {"rate", key_rate, &ys_kind_texts, "Minimum and maximum number of values a second", false, 0},
    {"field", ys_key_written, &ys_kind_text, "The field of a structure to compare", false, STEP(field_text)},
    {"to", ys_key_value, &ys_kind_text, "The value to write or set", false, STEP(to_text)},
    {"bytes", ys_key_written, &ys_kind_text, "The value in hexadecimal, as it is sent", false, STEP(bytes_text)},
    {"response", ys_key_word, &ys_kind_yes, "Whether the server responds", false, STEP(response)},
    {"using", ys_key_written, &ys_kind_text, "notifications, or indications", false, STEP(by_text)},
    {"fails", ys_key_written, &ys_kind_text, "The step must fail, with this reason", false, STEP(fails)},
    {"may fail", ys_key_written, &ys_kind_text, "The step may fail, with this reason", false, STEP(may_fail)},
    {"same as", ys_key_word, &kind_as, "written: the value must be the one that was written last", false, STEP(as)},
    {"passkey", ys_key_written, &ys_kind_text,
     "What people do meanwhile: right, wrong, nothing, cancel, or the six digits that they enter", false,
     STEP(passkey_text)},
    {"because", ys_key_written, &ys_kind_text, "Text of the expected reason", false, STEP(because)},
};
const struct ys_mapping ys_step_mapping = {"a step", step_keys, COUNT(step_keys), NULL};
static const struct ys_kind kind_step = {.form = YS_MAPPING, .mapping = &ys_step_mapping, .otherwise = &ys_kind_text};
static const struct ys_kind kind_steps = {.form = YS_LIST, .items = &kind_step};

/* The longest verb that a text begins with, as a word of its own; NULL if there is none. */
static const char *verb_before(const char *text)
{
    const char *found = NULL;
    for (int verb = YS_VERB_FIND; verb < YS_VERBS; verb++) {
        size_t length = strlen(ys_verb_word(verb));
        if (strncmp(text, ys_verb_word(verb), length) == 0 && text[length] == ' ' &&
            (found == NULL || length > strlen(found)))
            found = ys_verb_word(verb);
    }
    return found;
}

/* A step that is one word: discover. */
static void read_word(const struct ys_node *node, struct ys_step *step)
{
    static const int words[] = {YS_VERB_CONNECT, YS_VERB_DISCONNECT, YS_VERB_DISCOVER, YS_VERB_PAIR, YS_VERB_END};
    const char *names[COUNT(words)];
    const char *text = ys_yaml_text(node);
    for (size_t i = 0; i < COUNT(words); i++) {
        names[i] = ys_verb_word(words[i]);
        if (text != NULL && strcmp(text, names[i]) == 0)
            step->verb = words[i];
    }
    const char *verb = text != NULL && step->verb == YS_VERB_NONE ? verb_before(text) : NULL;
    if (verb != NULL)
        ys_findings_add(node->findings, YS_ERROR, "scene", node->place,
                        "\"%s\" needs a colon after the verb, as in %s: %s", text, verb,
                        text + strlen(verb) + strspn(text + strlen(verb), " "));
    else if (text != NULL && step->verb == YS_VERB_NONE)
        ys_yaml_unknown(node, "this step, which is one word,", text, names, COUNT(words));
}

static void read_step(const struct ys_node *node, struct ys_step *step)
{
    *step = (struct ys_step){.place = node->place, .who = YS_NOBODY, .peer = YS_NOBODY};
    if (!ys_yaml_is_mapping(node)) {
        read_word(node, step);
        return;
    }
    size_t errors = node->findings->errors;
    (void)ys_yaml_mapping(node, &ys_step_mapping, step);
    if (step->verb == YS_VERB_NONE && step->has_steps)
        step->verb = YS_VERB_STEPS;
    if (step->verb == YS_VERB_NONE && node->findings->errors == errors)
        error(node, "this step is empty: add a verb, such as read: battery level");
}

static void read_steps(const struct ys_node *node, struct ys_steps *steps)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        steps->items = ys_grow(steps->items, steps->count, sizeof *steps->items);
        read_step(&item, &steps->items[steps->count]);
        steps->count++;
    }
}

/* devices: and centrals: */

static void key_at(const struct ys_node *node, void *target)
{
    ys_scene_place(node, &((struct ys_actor *)target)->at);
}

static size_t character_names(const char **names, size_t most)
{
    size_t count = 0;
    for (; count < ys_character_count && count < most; count++)
        names[count] = ys_characters[count].name;
    return count;
}

/* Which of a list of names a text is, from 1; 0 after an error. */
static int find_name(const struct ys_node *node, const char *what, size_t (*fill)(const char **names, size_t most))
{
    const char *names[32];
    size_t count = fill(names, COUNT(names));
    const char *text = ys_yaml_text(node);
    for (size_t i = 0; text != NULL && i < count; i++) {
        if (strcmp(names[i], text) == 0)
            return (int)i + 1;
    }
    if (text != NULL)
        ys_yaml_unknown(node, what, text, names, count);
    return 0;
}

static void key_controller(const struct ys_node *node, void *target)
{
    ((struct ys_actor *)target)->character = find_name(node, "this character of a controller", character_names);
}

static void key_line(const struct ys_node *node, void *target)
{
    static const struct ys_quantity_unit rates[] = {{"bit/s", 1}, {"kbit/s", 1e3}, {"Mbit/s", 1e6}, {NULL, 0}};
    double bps = 0;
    if (ys_scene_quantity(node, rates, 9600, 1e8, "9600 bit/s to 100 Mbit/s, such as 115200 bit/s or 1 Mbit/s", &bps))
        ((struct ys_actor *)target)->line_bps = (uint64_t)bps;
}

static const struct ys_kind kind_character = {.form = YS_NAME, .names = character_names};

/* What is so of devices and of centrals. */
#define HARDWARE_KEYS                                                                                                  \
    {"body loss", ys_scene_key_body, &ys_kind_text, "Attenuation by the body of the person who carries it", false, 0}, \
        {"controller", key_controller, &kind_character, "Behaviour of its controller", false, 0},                      \
        {"line", key_line, &ys_kind_text, "Rate of the serial line between host and controller", false, 0},            \
    {                                                                                                                  \
        "host delay", ys_key_time, &ys_kind_time, "Time until its host handles a packet", false, ACTOR(thinks_us)      \
    }

static const struct ys_key device_keys[] = {
    {"name", ys_key_written, &ys_kind_text, "Name in the scene", true, ACTOR(name)},
    {"definition", ys_key_written, &ys_kind_text, "File of the definition", true, ACTOR(definition)},
    {"firmware", ys_key_written, &ys_kind_text,
     "A module or an image (.elf) of the firmware (default: simulate the device from its definition)", false,
     ACTOR(firmware)},
    {"at", key_at, &ys_kind_texts, "Position: [2 m, 0 m]", false, 0},
    {"unattended", ys_key_word, &ys_kind_yes, "Nobody reads its display; it guesses what people would enter", false,
     ACTOR(unseen)},
    {"extended", ys_key_word, &ys_kind_yes,
     "Whether its controller supports extended advertising (default: as its definition requires)", false,
     ACTOR(extended)},
    {"coded", ys_key_word, &ys_kind_yes, "Whether its controller supports the coded PHY (default: true)", false,
     ACTOR(coded)},
    HARDWARE_KEYS,
};
static const struct ys_mapping device_mapping = {"a device", device_keys, COUNT(device_keys), NULL};

static size_t kind_names(const char **names, size_t most)
{
    size_t count = 0;
    for (; count < ys_kinds_of_central_count && count < most; count++)
        names[count] = ys_kinds_of_central[count].name;
    return count;
}

static void key_kind(const struct ys_node *node, void *target)
{
    ((struct ys_actor *)target)->kind = find_name(node, "this kind of central", kind_names);
}

static const struct ys_kind kind_kind = {.form = YS_NAME, .names = kind_names};
static const struct ys_kind kind_mtu = {.form = YS_NUMBER, .least = 23, .greatest = YS_MTU};
static const struct ys_kind kind_latency = {.form = YS_NUMBER, .least = 0, .greatest = 499};
static const char *const remembering_words[] = {"forgets", "asks", "trusts", NULL};
static const struct ys_kind kind_remembering = {.form = YS_WORD, .words = remembering_words};
static const char *const temper_words[] = {"leaves", "stays", "insists", NULL};
static const struct ys_kind kind_temper = {.form = YS_WORD, .words = temper_words};

/* in the order of enum ys_capability */
static const char *const capability_words[] = {"display", "display and yes/no",   "keyboard",
                                               "none",    "keyboard and display", NULL};
static const struct ys_kind kind_capability = {.form = YS_WORD, .words = capability_words};

static const struct ys_key central_keys[] = {
    {"name", ys_key_written, &ys_kind_text, "Name in the scene", true, ACTOR(name)},
    {"kind", key_kind, &kind_kind, "Kind of central; the other keys change its traits", false, 0},
    {"at", key_at, &ys_kind_texts, "Position: [2 m, 0 m]", false, 0},
    {"mtu", ys_key_number, &kind_mtu, "Maximum MTU", false, ACTOR(mtu)},
    {"asks for mtu", ys_key_word, &ys_kind_yes, "Whether it starts an MTU exchange", false, ACTOR(asks_mtu)},
    {"interval", ys_key_time, &ys_kind_time, "Connection interval", false, ACTOR(interval_us)},
    {"latency", ys_key_number, &kind_latency, "Maximum peripheral latency, in connection events", false,
     ACTOR(latency)},
    {"supervision timeout", ys_key_time, &ys_kind_time, "Supervision timeout", false, ACTOR(supervision_timeout_us)},
    {"patience", ys_key_time, &ys_kind_time, "Time limit for everything that it does", false, ACTOR(patience_us)},
    {"table", ys_key_word, &kind_remembering, "What it does with a cached attribute table", false, ACTOR(remembering)},
    {"resubscribes", ys_key_word, &ys_kind_yes, "Whether it subscribes again after a reconnection", false,
     ACTOR(subscribes_again)},
    {"when pairing fails", ys_key_word, &kind_temper, "What it does after a failed pairing", false, ACTOR(temper)},
    {"unattended", ys_key_word, &ys_kind_yes, "Nobody reads its display; it guesses what people would enter", false,
     ACTOR(unseen)},
    {"capability", ys_key_word, &kind_capability, "Input and output capability", false, ACTOR(capability)},
    {"refuses updates", ys_key_word, &ys_kind_yes, "Refuse updates of the connection parameters", false,
     ACTOR(refuses_updates)},
    {"legacy pairing", ys_key_word, &ys_kind_yes, "Use legacy pairing only", false, ACTOR(legacy)},
    {"impersonates", ys_key_written, &ys_kind_text, "Another central, whose address it uses", false,
     ACTOR(pretends_text)},
    {"extended", ys_key_word, &ys_kind_yes, "Whether it receives extended advertising", false, ACTOR(extended)},
    {"coded", ys_key_word, &ys_kind_yes, "Whether it also scans on the coded PHY", false, ACTOR(coded)},
    {"knows definitions", ys_key_word, &ys_kind_yes, "Whether it knows the definitions", false, ACTOR(knows)},
    {"adapts", ys_key_word, &ys_kind_yes, "Whether its controller stops using channels with many errors", false,
     ACTOR(adapts)},
    HARDWARE_KEYS,
};
static const struct ys_mapping central_mapping = {"a central", central_keys, COUNT(central_keys), NULL};

static void read_actors(const struct ys_node *node, struct ys_scene *scene, bool devices)
{
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        scene->actors = ys_grow(scene->actors, scene->actor_count, sizeof *scene->actors);
        size_t at = devices ? scene->device_count++ : scene->actor_count; /* devices come first, whatever comes first */
        memmove(&scene->actors[at + 1], &scene->actors[at], (scene->actor_count - at) * sizeof *scene->actors);
        scene->actor_count++;
        scene->actors[at] = (struct ys_actor){.place = item.place, .is_device = devices};
        (void)ys_yaml_mapping(&item, devices ? &device_mapping : &central_mapping, &scene->actors[at]);
    }
}

static void key_devices(const struct ys_node *node, void *target)
{
    read_actors(node, target, true);
}

static void key_centrals(const struct ys_node *node, void *target)
{
    read_actors(node, target, false);
}

static void key_scene_steps(const struct ys_node *node, void *target)
{
    read_steps(node, &((struct ys_scene *)target)->steps);
}

static const struct ys_kind kind_air = {.form = YS_WORD, .words = ys_air_words};
static const struct ys_kind kind_reception = {.form = YS_WORD, .words = ys_reception_words};
static const struct ys_kind kind_devices = {
    .form = YS_LIST, .items = &(const struct ys_kind){.form = YS_MAPPING, .mapping = &device_mapping}};
static const struct ys_kind kind_centrals = {
    .form = YS_LIST, .items = &(const struct ys_kind){.form = YS_MAPPING, .mapping = &central_mapping}};

static const struct ys_key scene_keys[] = {
    {"scene", ys_key_written, &ys_kind_text, "Title of the scene, in one line", true, offsetof(struct ys_scene, title)},
    {"audit", ys_key_word, &ys_kind_yes, "Whether its devices must comply with all rules of the standard", false,
     offsetof(struct ys_scene, audited)},
    {"air", ys_key_word, &kind_air, "Propagation of packets", false, offsetof(struct ys_scene, air_said)},
    {"reception", ys_key_word, &kind_reception, "How packets are received in air that is not perfect", false,
     offsetof(struct ys_scene, reception)},
    {"fading", ys_scene_key_fading, &ys_kind_fading, "Multipath fading", false, 0},
    {"disturbers", ys_scene_key_disturbers, &ys_kind_disturbers, "Other transmitters", false, 0},
    {"devices", key_devices, &kind_devices, "Devices", true, 0},
    {"centrals", key_centrals, &kind_centrals, "Centrals", false, 0},
    {"steps", key_scene_steps, &kind_steps, "Steps, in sequence", true, 0},
};
const struct ys_mapping ys_scene_mapping = {"a scene", scene_keys, COUNT(scene_keys), NULL};

/* Its texts are used as long as the scene. */
static void keep_document(struct ys_scene *scene, struct fy_document *document)
{
    scene->documents = ys_grow(scene->documents, scene->document_count, sizeof(void *));
    scene->documents[scene->document_count++] = document;
}

bool ys_scene_read_step(struct ys_scene *scene, const char *text, struct ys_steps *steps)
{
    const struct ys_place place = {.line = 0};
    ys_findings_clear(&scene->findings);
    scene->findings = (struct ys_findings){.items = NULL};
    *steps = (struct ys_steps){.items = ys_new(sizeof *steps->items), .count = 1};
    struct fy_document *document = ys_yaml_parse(text, strlen(text), place, &scene->findings);
    keep_document(scene, document);
    if (document != NULL) {
        struct ys_node root = ys_yaml_root(document, place, &scene->findings);
        root.kind = &kind_step;
        read_step(&root, &steps->items[0]);
        if (scene->findings.errors == 0)
            ys_scene_check_step(scene, &steps->items[0]);
    }
    return scene->findings.errors == 0;
}

struct ys_scene *ys_scene_read(const char *file, const char *text, size_t length, const struct ys_scene_files *files)
{
    struct ys_scene *scene = ys_new(sizeof *scene);
    const struct ys_place place = {.line = 0};
    scene->file = ys_copy(file, strlen(file));
    struct fy_document *document = ys_yaml_parse(text, length, place, &scene->findings);
    keep_document(scene, document);
    if (document != NULL) {
        const struct ys_node root = ys_yaml_root(document, place, &scene->findings);
        if (ys_yaml_mapping(&root, &ys_scene_mapping, scene) && scene->findings.errors == 0)
            ys_scene_check(scene, files);
    }
    ys_findings_sort(&scene->findings);
    return scene;
}
