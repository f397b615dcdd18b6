/* The keys of energy: what the hardware draws. */
#include "design/reading/energy.h"

#include <math.h>
#include <stddef.h>
#include <stdlib.h>
#include <string.h>

#include "design/model/model.h"

#define COUNT(array)   (sizeof(array) / sizeof((array)[0]))
#define ENERGY(member) offsetof(struct ys_design, energy.member)

/* A unit, and how many of the first one it is. */
struct scale {
    const char *unit;
    double factor;
};

static const struct scale microamperes[] = {{"uA", 1}, {"mA", 1e3}, {"nA", 1e-3}, {"A", 1e6}, {NULL, 0}};
static const struct scale milliamperes[] = {{"mA", 1}, {"uA", 1e-3}, {"A", 1e3}, {"nA", 1e-6}, {NULL, 0}};
static const struct scale microcoulombs[] = {{"uC", 1}, {"mC", 1e3}, {"nC", 1e-3}, {NULL, 0}};
static const struct scale milliampere_hours[] = {{"mAh", 1}, {"Ah", 1e3}, {"uAh", 1e-3}, {NULL, 0}};
static const struct scale volts[] = {{"V", 1}, {"mV", 1e-3}, {NULL, 0}};
static const struct scale percents[] = {{"%", 0.01}, {NULL, 0}};
static const struct scale microseconds[] = {{"us", 1}, {"ms", 1e3}, {"s", 1e6}, {NULL, 0}};
static const struct scale dbms[] = {{"dBm", 1}, {NULL, 0}};

/* Takes a number with its unit, and goes on after it; false if there is none. */
static bool take(const char **text, const struct scale *scales, double least, double *value)
{
    char *end = NULL;
    double number = strtod(*text, &end);
    if (end == *text)
        return false;
    end += strspn(end, " ");
    for (; scales->unit != NULL; scales++) {
        size_t length = strlen(scales->unit);
        bool is_unit = strncmp(end, scales->unit, length) == 0 && (end[length] == '\0' || end[length] == ' ');
        if (!is_unit || number < least || !(number * scales->factor <= 1e9))
            continue;
        *value = number * scales->factor;
        *text = end + length;
        return true;
    }
    return false;
}

static void wrong(const struct ys_node *node, const char *example, const char *text)
{
    ys_findings_add(node->findings, YS_ERROR, "energy", node->place,
                    "%s must be a number with its unit, such as %s, not \"%s\"", node->key->name, example, text);
}

static void scaled(struct ys_design *design, const struct ys_written *written, const char *key, const char *example,
                   const struct scale *scales, double *value)
{
    const char *at = written->text;
    if (at == NULL || (take(&at, scales, 0, value) && *at == '\0'))
        return;
    ys_findings_add(&design->findings, YS_ERROR, "energy", written->place,
                    "%s must be a number with its unit, such as %s, not \"%s\"", key, example, written->text);
}

/* "400 us at 1.2 mA" */
static void read_phase(const struct ys_node *node, struct ys_phase *phase)
{
    const char *text = ys_yaml_text(node);
    const char *at = text;
    if (text == NULL)
        return;
    bool good = take(&at, microseconds, 0, &phase->us) && strncmp(at, " at ", 4) == 0;
    at += good ? 4 : 0;
    if (!good || !take(&at, milliamperes, 0, &phase->ma) || *at != '\0')
        wrong(node, "400 us at 1.2 mA", text);
}

static struct ys_energy *figures_of(void *target)
{
    return &((struct ys_design *)target)->energy.figures;
}

static void key_wake(const struct ys_node *node, void *target)
{
    read_phase(node, &figures_of(target)->wake);
}

static void key_prepare(const struct ys_node *node, void *target)
{
    read_phase(node, &figures_of(target)->prepare);
}

static void key_ramp(const struct ys_node *node, void *target)
{
    read_phase(node, &figures_of(target)->ramp);
}

static void key_finish(const struct ys_node *node, void *target)
{
    read_phase(node, &figures_of(target)->finish);
}

/* "4.9 mA", or of a list "4.9 mA at 0 dBm". */
static void read_level(const struct ys_node *node, struct ys_energy *energy, bool listed)
{
    const char *text = ys_yaml_text(node);
    const char *at = text;
    struct ys_power_level level = {.dbm = 0};
    if (text == NULL)
        return;
    bool good = take(&at, milliamperes, 0, &level.ma);
    if (good && listed) {
        good = strncmp(at, " at ", 4) == 0;
        at += good ? 4 : 0;
        good = good && take(&at, dbms, -100, &level.dbm);
    }
    if (!good || *at != '\0') {
        wrong(node, listed ? "4.9 mA at 0 dBm" : "4.9 mA", text);
    } else if (energy->levels == YS_POWER_LEVELS ||
               (energy->levels > 0 && level.dbm <= energy->transmit[energy->levels - 1].dbm)) {
        ys_findings_add(node->findings, YS_ERROR, "energy", node->place,
                        "transmit has up to %d powers, in ascending order", YS_POWER_LEVELS);
    } else {
        energy->transmit[energy->levels++] = level;
    }
}

static void key_transmit(const struct ys_node *node, void *target)
{
    struct ys_energy *energy = figures_of(target);
    struct ys_node item;
    void *iterator = NULL;
    energy->levels = 0;
    if (!ys_yaml_is_sequence(node)) {
        read_level(node, energy, false);
        return;
    }
    while (ys_yaml_next(node, &iterator, &item)) {
        item.key = node->key;
        read_level(&item, energy, true);
    }
}

static void key_voltage(const struct ys_node *node, void *target)
{
    struct ys_energy *energy = figures_of(target);
    double both[2] = {0, 0};
    struct ys_node item;
    void *iterator = NULL;
    size_t count = 0;
    for (; ys_yaml_next(node, &iterator, &item); count++) {
        const char *text = ys_yaml_text(&item);
        const char *at = text;
        item.key = node->key;
        if (text != NULL && count < 2 && (!take(&at, volts, 0, &both[count]) || *at != '\0'))
            wrong(&item, "3 V", text);
    }
    if (ys_yaml_is_sequence(node) && (count != 2 || both[0] <= both[1]))
        ys_findings_add(node->findings, YS_ERROR, "energy", node->place,
                        "voltage has two values, full and empty: [3 V, 2 V]");
    energy->full_v = both[0];
    energy->empty_v = both[1];
}

static const struct ys_kind kind_transmit = {.form = YS_LIST, .items = &ys_kind_text, .otherwise = &ys_kind_text};
static const struct ys_key energy_keys[] = {
    {"standby", ys_key_written, &ys_kind_text, "Current that it always draws, such as 1.9 uA", true, ENERGY(standby)},
    {"transmit", key_transmit, &kind_transmit,
     "Current while it transmits, such as 5.3 mA; or by power, such as [3.1 mA at -20 dBm, 5.3 mA at 0 dBm]", true, 0},
    {"receive", ys_key_written, &ys_kind_text, "Current while it receives, such as 5.4 mA", true, ENERGY(receive)},
    {"turn round", ys_key_written, &ys_kind_text, "Current between two packets, such as 3.9 mA (default: as receive)",
     false, ENERGY(turn)},
    {"wake", key_wake, &ys_kind_text, "Time and current until the clocks run, such as 400 us at 1.2 mA", false, 0},
    {"prepare", key_prepare, &ys_kind_text, "Computation before the radio is on, such as 300 us at 2.9 mA", false, 0},
    {"ramp", key_ramp, &ys_kind_text, "Start of the radio, such as 90 us at 3.6 mA", false, 0},
    {"finish", key_finish, &ys_kind_text, "Computation after the radio is off, such as 250 us at 2.4 mA", false, 0},
    {"wake up", ys_key_written, &ys_kind_text,
     "Charge of all these phases together, or of other costs of an event, such as 4 uC", false, ENERGY(wake_up)},
    {"battery", ys_key_written, &ys_kind_text, "Capacity of the battery, such as 230 mAh", false, ENERGY(battery)},
    {"voltage", key_voltage, &ys_kind_texts, "Voltage of the battery, full and empty, such as [3 V, 2 V]", false, 0},
    {"cut off", ys_key_written, &ys_kind_text, "Voltage at which the hardware stops, such as 2.2 V", false,
     ENERGY(cut_off)},
    {"self-discharge", ys_key_written, &ys_kind_text, "What the battery loses by itself in a year, such as 1 %", false,
     ENERGY(self_discharge)},
};
static const struct ys_mapping energy_mapping = {"energy", energy_keys, COUNT(energy_keys), NULL};
const struct ys_kind ys_kind_energy = {.form = YS_MAPPING, .mapping = &energy_mapping};

void ys_read_energy(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    struct ys_energy_given *energy = &design->energy;
    struct ys_energy *figures = &energy->figures;
    energy->given = ys_yaml_mapping(node, &energy_mapping, design);
    scaled(design, &energy->standby, "standby", "1.9 uA", microamperes, &figures->standby_ua);
    scaled(design, &energy->receive, "receive", "5.4 mA", milliamperes, &figures->receive_ma);
    scaled(design, &energy->turn, "turn round", "3.9 mA", milliamperes, &figures->turn_ma);
    scaled(design, &energy->wake_up, "wake up", "4 uC", microcoulombs, &figures->wake_up_uc);
    scaled(design, &energy->battery, "battery", "230 mAh", milliampere_hours, &figures->battery_mah);
    scaled(design, &energy->cut_off, "cut off", "2.2 V", volts, &figures->cut_off_v);
    scaled(design, &energy->self_discharge, "self-discharge", "1 %", percents, &figures->self_discharge);
    if (figures->self_discharge >= 1)
        ys_findings_add(&design->findings, YS_ERROR, "energy", energy->self_discharge.place,
                        "a battery that loses all within a year has no self-discharge that could be told in per cent");
    if (energy->cut_off.text != NULL && (figures->full_v <= 0 || figures->cut_off_v >= figures->full_v))
        ys_findings_add(&design->findings, YS_ERROR, "energy", energy->cut_off.place,
                        "a cut-off lies below the voltage of a full battery: give voltage, such as [3 V, 2 V]");
}
