/* What a scene says of the air: its keys. */
#include "scene/scene_air_read.h"

#include <math.h>
#include <stddef.h>
#include <string.h>

#include "design/model/memory.h"
#include "design/model/words.h"

#define COUNT(array)      (sizeof(array) / sizeof((array)[0]))
#define DISTURBER(member) offsetof(struct ys_heard, member)
#define NETWORK_CHANNELS  13

/* Reads it; false if it is none. */
static bool take_quantity(const char *text, const struct ys_quantity_unit *units, double least, double most,
                          double *value)
{
    const char *end = "";
    int64_t mantissa = 0;
    int places = 0;
    if (!ys_decimal_parse(text, &mantissa, &places, &end))
        return false;
    for (; units->unit != NULL; units++) {
        *value = (double)mantissa * units->factor / pow(10, places);
        if (strcmp(end + strspn(end, " "), units->unit) == 0 && *value >= least && *value <= most)
            return true;
    }
    return false;
}

bool ys_scene_quantity(const struct ys_node *node, const struct ys_quantity_unit *units, double least, double most,
                       const char *example, double *value)
{
    const char *text = ys_yaml_text(node);
    double is = 0;
    if (text == NULL)
        return false;
    if (take_quantity(text, units, least, most, &is)) {
        *value = is;
        return true;
    }
    ys_findings_add(node->findings, YS_ERROR, "scene", node->place, "%s must be %s, not \"%s\"", node->key->name,
                    example, text);
    return false;
}

static const struct ys_quantity_unit metres[] = {{"m", 1}, {NULL, 0}};
static const struct ys_quantity_unit decibels[] = {{"dB", 1}, {NULL, 0}};
static const struct ys_quantity_unit decibels_of_mw[] = {{"dBm", 1}, {NULL, 0}};
static const struct ys_quantity_unit percents[] = {{"%", 0.01}, {NULL, 0}};

void ys_scene_place(const struct ys_node *node, struct ys_place_m *place)
{
    struct ys_node item;
    void *iterator = NULL;
    double at_m[2] = {0, 0};
    size_t count = 0;
    bool good = true;
    for (; ys_yaml_next(node, &iterator, &item); count++) {
        const char *text = ys_yaml_text(&item);
        double at = 0;
        bool is = text != NULL && take_quantity(text, metres, -1e6, 1e6, &at);
        if (text != NULL && !is)
            ys_findings_add(item.findings, YS_ERROR, "scene", item.place,
                            "a place is a distance in metres, such as 2.5 m");
        if (count < 2)
            at_m[count] = at;
        good = is && good;
    }
    if (count != 2 && ys_yaml_is_sequence(node))
        ys_findings_add(node->findings, YS_ERROR, "scene", node->place, "a place has two distances: [2 m, 0 m]");
    *place = (struct ys_place_m){.x_m = at_m[0], .y_m = at_m[1], .given = good && count == 2};
}

void ys_scene_key_body(const struct ys_node *node, void *target)
{
    (void)ys_scene_quantity(node, decibels, 0, 40, "0 to 40 dB, such as 10 dB", &((struct ys_actor *)target)->body_db);
}

/* fading */

static void key_factor(const struct ys_node *node, void *target)
{
    struct ys_scene *scene = target;
    scene->has_factor = ys_scene_quantity(node, decibels, -20, 40, "-20 to 40 dB, such as 6 dB", &scene->factor_db);
}

static const struct ys_kind kind_fading_word = {.form = YS_WORD, .words = ys_fading_words};
static const struct ys_key fading_keys[] = {
    {"kind", ys_key_word, &kind_fading_word, "Kind of fading", true, offsetof(struct ys_scene, fading)},
    {"factor", key_factor, &ys_kind_text, "With rician: ratio of the steady path to all other paths", false, 0},
    {"coherence time", ys_key_time, &ys_kind_time, "Time until the fading changes (default: never)", false,
     offsetof(struct ys_scene, coherence_us)},
};
static const struct ys_mapping fading_mapping = {"fading", fading_keys, COUNT(fading_keys), NULL};
const struct ys_kind ys_kind_fading = {.form = YS_MAPPING, .mapping = &fading_mapping};

void ys_scene_key_fading(const struct ys_node *node, void *target)
{
    ((struct ys_scene *)target)->fading_place = node->place;
    (void)ys_yaml_mapping(node, &fading_mapping, target);
}

/* disturbers */

static void key_duty(const struct ys_node *node, void *target)
{
    (void)ys_scene_quantity(node, percents, 0.001, 1, "0.1 to 100 %, such as 30 %", &((struct ys_heard *)target)->duty);
}

static void key_power(const struct ys_node *node, void *target)
{
    (void)ys_scene_quantity(node, decibels_of_mw, -40, 40, "-40 to 40 dBm, such as 15 dBm",
                            &((struct ys_heard *)target)->power_dbm);
}

static void key_around(const struct ys_node *node, void *target)
{
    (void)ys_scene_quantity(node, metres, 0, 10000, "a distance in metres, such as 15 m",
                            &((struct ys_heard *)target)->around_m);
}

static void key_at(const struct ys_node *node, void *target)
{
    ys_scene_place(node, &((struct ys_heard *)target)->at);
}

static const struct ys_kind kind_disturber_word = {.form = YS_WORD, .words = ys_disturber_words};
static const struct ys_kind kind_channel = {.form = YS_NUMBER, .least = 1, .greatest = NETWORK_CHANNELS};
static const struct ys_kind kind_count = {.form = YS_NUMBER, .least = 1, .greatest = YS_NEIGHBOURS_MOST};
static const struct ys_key disturber_keys[] = {
    {"kind", ys_key_word, &kind_disturber_word, "Kind of disturber", true, DISTURBER(kind)},
    {"at", key_at, &ys_kind_texts, "Its position, or the centre of their positions: [10 m, 0 m]", false, 0},
    {"channel", ys_key_number, &kind_channel, "Channel of a network; 1, 6 and 11 are usual", false, DISTURBER(channel)},
    {"duty", key_duty, &ys_kind_text, "Share of the time in which a network sends", false, 0},
    {"burst", ys_key_time, &ys_kind_time, "Length of a transmission of a network", false, DISTURBER(burst_us)},
    {"power", key_power, &ys_kind_text, "Transmit power, such as 15 dBm", false, 0},
    {"count", ys_key_number, &kind_count, "Number of advertisers", false, DISTURBER(count)},
    {"interval", ys_key_time, &ys_kind_time, "Advertising interval of the advertisers", false, DISTURBER(interval_us)},
    {"around", key_around, &ys_kind_text, "Maximum distance of the advertisers from their centre", false, 0},
};
static const struct ys_mapping disturber_mapping = {"a disturber", disturber_keys, COUNT(disturber_keys), NULL};
static const struct ys_kind kind_disturber = {.form = YS_MAPPING, .mapping = &disturber_mapping};
const struct ys_kind ys_kind_disturbers = {.form = YS_LIST, .items = &kind_disturber};

void ys_scene_key_disturbers(const struct ys_node *node, void *target)
{
    struct ys_scene *scene = target;
    struct ys_node item;
    void *iterator = NULL;
    while (ys_yaml_next(node, &iterator, &item)) {
        scene->disturbers = ys_grow(scene->disturbers, scene->disturber_count, sizeof *scene->disturbers);
        struct ys_heard *heard = &scene->disturbers[scene->disturber_count++];
        *heard = (struct ys_heard){.place = item.place, .duty = NAN, .power_dbm = NAN, .around_m = NAN};
        (void)ys_yaml_mapping(&item, &disturber_mapping, heard);
    }
}
