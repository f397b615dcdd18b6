/* The parameters of a stream. */
#include "cli/shared/parameters.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "cli/shared/options.h"
#include "cli/shared/say.h"
#include "design/making/link.h"
#include "world/air.h"

/* in the order of enum ys_phy */
const char *const phy_words[] = {"1M", "2M", "coded-s8", "coded-s2"};

#define PHY_COUNT (sizeof phy_words / sizeof phy_words[0])

static bool read_whole(const char *text, unsigned long long least, unsigned long long most, unsigned long long *number)
{
    return parse_number(text, number) && *number >= least && *number <= most;
}

static bool find_phy(const char *text, enum ys_phy *phy)
{
    for (size_t i = 0; i < PHY_COUNT; i++) {
        if (strcmp(text, phy_words[i]) != 0)
            continue;
        *phy = (enum ys_phy)i;
        return true;
    }
    return false;
}

static bool read_phy(const char *text, struct ys_throughput_plan *plan)
{
    if (!find_phy(text, &plan->phy))
        return false;
    plan->central_phy = plan->phy;
    return true;
}

static double phy_value(const struct ys_throughput_plan *plan)
{
    return (double)plan->phy;
}

static const char *phy_word(const struct ys_throughput_plan *plan)
{
    return phy_words[plan->phy];
}

static bool read_central_phy(const char *text, struct ys_throughput_plan *plan)
{
    return find_phy(text, &plan->central_phy);
}

static double central_phy_value(const struct ys_throughput_plan *plan)
{
    return (double)plan->central_phy;
}

static const char *central_phy_word(const struct ys_throughput_plan *plan)
{
    return phy_words[plan->central_phy];
}

/* Characters of the controllers of both ends. */
#define CHARACTER(end)                                                                                                 \
    static bool read_##end(const char *text, struct ys_throughput_plan *plan)                                          \
    {                                                                                                                  \
        const struct ys_character *character = ys_character_find(text);                                                \
        if (character != NULL)                                                                                         \
            plan->end.character = character;                                                                           \
        return character != NULL;                                                                                      \
    }                                                                                                                  \
    static double end##_value(const struct ys_throughput_plan *plan)                                                   \
    {                                                                                                                  \
        return (double)(plan->end.character - ys_characters);                                                          \
    }                                                                                                                  \
    static const char *end##_word(const struct ys_throughput_plan *plan)                                               \
    {                                                                                                                  \
        return plan->end.character->name;                                                                              \
    }                                                                                                                  \
    static bool read_##end##_thinks(const char *text, struct ys_throughput_plan *plan)                                 \
    {                                                                                                                  \
        double ms;                                                                                                     \
        if (!parse_real(text, 0, 10000, &ms))                                                                          \
            return false;                                                                                              \
        plan->end.thinks_us = (uint32_t)lround(ms * 1000);                                                             \
        return true;                                                                                                   \
    }                                                                                                                  \
    static double end##_thinks_value(const struct ys_throughput_plan *plan)                                            \
    {                                                                                                                  \
        return plan->end.thinks_us / 1000.0;                                                                           \
    }

CHARACTER(device)
CHARACTER(central)

static bool read_line(const char *text, struct ys_throughput_plan *plan)
{
    double kbps;
    if (!parse_real(text, 9.6, 100000, &kbps))
        return false;
    plan->device.line_bps = (uint32_t)lround(kbps * 1000);
    return true;
}

static double line_value(const struct ys_throughput_plan *plan)
{
    return plan->device.line_bps / 1000.0;
}

#define WHOLE(field, type, least, most)                                                                                \
    static bool read_##field(const char *text, struct ys_throughput_plan *plan)                                        \
    {                                                                                                                  \
        unsigned long long number;                                                                                     \
        if (!read_whole(text, least, most, &number))                                                                   \
            return false;                                                                                              \
        plan->field = (type)number;                                                                                    \
        return true;                                                                                                   \
    }                                                                                                                  \
    static double field##_value(const struct ys_throughput_plan *plan)                                                 \
    {                                                                                                                  \
        return (double)plan->field;                                                                                    \
    }

WHOLE(packet_length, uint8_t, 27, 251)
WHOLE(mtu, uint16_t, 23, 517)
WHOLE(latency, uint16_t, 0, 499)
WHOLE(seconds, uint32_t, 1, 3600)
WHOLE(seed, uint64_t, 0, UINT64_MAX)
WHOLE(buffers, uint8_t, 2, 64)
WHOLE(links, uint8_t, 1, YS_PLAN_LINKS_MOST)
WHOLE(network_channel, uint8_t, 1, 13)
WHOLE(neighbours, uint32_t, 0, YS_NEIGHBOURS_MOST)

/* What is a flag. */
#define FLAG(name, field)                                                                                              \
    static bool read_##name(const char *text, struct ys_throughput_plan *plan)                                         \
    {                                                                                                                  \
        plan->field = strcmp(text, "yes") == 0;                                                                        \
        return plan->field || strcmp(text, "no") == 0;                                                                 \
    }                                                                                                                  \
    static double name##_value(const struct ys_throughput_plan *plan)                                                  \
    {                                                                                                                  \
        return plan->field;                                                                                            \
    }                                                                                                                  \
    static const char *name##_word(const struct ys_throughput_plan *plan)                                              \
    {                                                                                                                  \
        return plan->field ? "yes" : "no";                                                                             \
    }

FLAG(encrypted, encrypted)
FLAG(both, both)
FLAG(adapts, central.adapts)
FLAG(by_levels, by_levels)

/* A real number, of which so many are one of the plan's. */
#define REAL(name, field, least, most, unit)                                                                           \
    static bool read_##name(const char *text, struct ys_throughput_plan *plan)                                         \
    {                                                                                                                  \
        double number;                                                                                                 \
        if (!parse_real(text, least, most, &number))                                                                   \
            return false;                                                                                              \
        plan->field = number / (unit);                                                                                 \
        return true;                                                                                                   \
    }                                                                                                                  \
    static double name##_value(const struct ys_throughput_plan *plan)                                                  \
    {                                                                                                                  \
        return plan->field * (unit);                                                                                   \
    }

REAL(loss, loss, 0, 90, 100.0)
REAL(bit_errors, bit_errors, 0, 1, 100.0)
REAL(distance, distance_m, 0, 10000, 1.0)
REAL(network_duty, network_duty, 0, 100, 100.0)
REAL(network_distance, network_distance_m, 0.1, 1000, 1.0)
REAL(oven_distance, oven_distance_m, 0, 1000, 1.0)

static bool read_interval(const char *text, struct ys_throughput_plan *plan)
{
    double ms;
    if (!parse_real(text, 7.5, 4000, &ms) || fmod(ms * 1000, 1250) != 0)
        return false;
    plan->interval_us = (uint32_t)lround(ms * 1000);
    return true;
}

static double interval_value(const struct ys_throughput_plan *plan)
{
    return plan->interval_us / 1000.0;
}

static bool read_event_length(const char *text, struct ys_throughput_plan *plan)
{
    double ms;
    if (!parse_real(text, 1.25, 4000, &ms))
        return false;
    plan->event_length_us = (uint32_t)lround(ms * 1000);
    return true;
}

static double event_length_value(const struct ys_throughput_plan *plan)
{
    return plan->event_length_us / 1000.0;
}

const struct parameter parameters[] = {
    {"phy", "phy", "PHY", "PHY in both directions: 1M, 2M, coded-s2 or coded-s8", "1M, 2M, coded-s2 or coded-s8", false,
     read_phy, phy_value, phy_word},
    {"central-phy", "central_phy", "PHY", "PHY of packets from the central, if it is another one",
     "1M, 2M, coded-s2 or coded-s8", false, read_central_phy, central_phy_value, central_phy_word},
    {"packet-length", "packet_length_bytes", "NUMBER", "Payload of a link-layer packet: 27 to 251 bytes",
     "a whole number from 27 to 251", true, read_packet_length, packet_length_value, NULL},
    {"mtu", "mtu_bytes", "NUMBER", "ATT MTU: 23 to 517 bytes", "a whole number from 23 to 517", true, read_mtu,
     mtu_value, NULL},
    {"interval", "interval_ms", "MS", "Connection interval: 7.5 to 4000 ms in steps of 1.25",
     "from 7.5 to 4000 ms, in steps of 1.25", true, read_interval, interval_value, NULL},
    {"latency", "latency_events", "NUMBER", "Peripheral latency, in connection events: 0 to 499",
     "a whole number from 0 to 499", true, read_latency, latency_value, NULL},
    {"event-length", "event_length_ms", "MS", "Longest connection event", "from 1.25 to 4000 ms", true,
     read_event_length, event_length_value, NULL},
    {"encrypted", "encrypted", NULL, "Encrypt the link", "yes or no", false, read_encrypted, encrypted_value,
     encrypted_word},
    {"loss", "loss_percent", "PERCENT", "Packets that arrive with a wrong CRC", "from 0 to 90 percent", true, read_loss,
     loss_value, NULL},
    {"bit-errors", "bit_errors_percent", "PERCENT", "Bits that arrive wrong, so that long packets are lost more often",
     "from 0 to 1 percent", true, read_bit_errors, bit_errors_value, NULL},
    {"distance", "distance_m", "M", "Distance between the two, outdoors (default: any distance is in range)",
     "from 0 to 10000 m", true, read_distance, distance_value, NULL},
    {"by-levels", "by_levels", NULL, "With --distance, packets arrive undamaged or not at all", "yes or no", false,
     read_by_levels, by_levels_value, by_levels_word},
    {"network-channel", "network_channel", "NUMBER", "Add a wide-band network on this channel: 1 to 13",
     "a whole number from 1 to 13", true, read_network_channel, network_channel_value, NULL},
    {"network-duty", "network_duty_percent", "PERCENT", "Share of the time in which the network sends (default 30)",
     "from 0 to 100 percent", true, read_network_duty, network_duty_value, NULL},
    {"network-distance", "network_distance_m", "M", "Distance between the network and the central (default 3)",
     "from 0.1 to 1000 m", true, read_network_distance, network_distance_value, NULL},
    {"oven-distance", "oven_distance_m", "M", "Add a microwave oven at this distance from the central",
     "from 0 to 1000 m", true, read_oven_distance, oven_distance_value, NULL},
    {"neighbours", "neighbours", "NUMBER", "Other devices that advertise in the same place: 0 to 100000",
     "a whole number from 0 to 100000", true, read_neighbours, neighbours_value, NULL},
    {"adapts", "adapts", NULL, "The central stops using channels with many errors", "yes or no", false, read_adapts,
     adapts_value, adapts_word},
    {"both-ways", "both_ways", NULL, "Stream in both directions at the same time", "yes or no", false, read_both,
     both_value, both_word},
    {"links", "links", "NUMBER", "Number of devices that stream to one central: 1 to 8", "a whole number from 1 to 8",
     true, read_links, links_value, NULL},
    {"device-controller", "device_controller", "BEHAVIOUR",
     "Behaviour of the device's controller: extending (default), slotted, sparing or ideal",
     "extending, slotted, sparing or ideal", false, read_device, device_value, device_word},
    {"central-controller", "central_controller", "BEHAVIOUR", "Behaviour of the central's controller",
     "extending, slotted, sparing or ideal", false, read_central, central_value, central_word},
    {"line", "line_kbps", "KBPS",
     "Rate of the serial line between the device's host and its controller (default: no line)",
     "from 9.6 to 100000 kbit/s", true, read_line, line_value, NULL},
    {"host-delay", "host_delay_ms", "MS", "Time until the device's host handles a packet (default 0.1)",
     "from 0 to 10000 ms", true, read_device_thinks, device_thinks_value, NULL},
    {"central-host-delay", "central_host_delay_ms", "MS", "Time until the central's host handles a packet (default 1)",
     "from 0 to 10000 ms", true, read_central_thinks, central_thinks_value, NULL},
    {"buffers", "buffers", "NUMBER", "Buffers of the sending controller: 2 to 64 (default: as its behaviour says)",
     "a whole number from 2 to 64", true, read_buffers, buffers_value, NULL},
    {"seconds", "seconds", "NUMBER", "Duration of the stream (default 10)", "a whole number from 1 to 3600", true,
     read_seconds, seconds_value, NULL},
    {"seed", "seed", "NUMBER", "Random seed (default 1)", "a whole number from 0 to 18446744073709551615", true,
     read_seed, seed_value, NULL},
};
const size_t parameter_count = sizeof parameters / sizeof parameters[0];

const struct parameter *parameter_named(const char *name)
{
    for (size_t i = 0; i < parameter_count; i++) {
        if (strcmp(parameters[i].name, name) == 0)
            return &parameters[i];
    }
    return NULL;
}

int parameter_option(size_t index)
{
    return strcmp(parameters[index].name, "seed") == 0      ? 's'
           : strcmp(parameters[index].name, "seconds") == 0 ? 't'
                                                            : FIRST_PARAMETER + (int)index;
}

size_t parameter_of_option(int key)
{
    size_t index = 0;
    while (index < parameter_count && parameter_option(index) != key)
        index++;
    return index;
}

bool parameter_complain(const char *who, const struct parameter *parameter, const char *text)
{
    return complain(who, "--%s must be %s, not \"%s\"", parameter->name, parameter->takes, text);
}

void parameter_say(const struct parameter *parameter, const struct ys_throughput_plan *plan, char *text, size_t size)
{
    static const char *const units[][2] = {{"_ms", " ms"},     {"_kbps", " kbit/s"},   {"_bytes", " bytes"},
                                           {"_percent", " %"}, {"_events", " events"}, {"_m", " m"}};
    double value = parameter->value(plan);
    const char *unit = "";
    if (parameter->word != NULL) {
        (void)snprintf(text, size, "%s", parameter->word(plan));
        return;
    }
    for (size_t i = 0; i < sizeof units / sizeof units[0]; i++) {
        size_t length = strlen(parameter->key);
        size_t end = strlen(units[i][0]);
        if (length > end && strcmp(parameter->key + length - end, units[i][0]) == 0)
            unit = units[i][1];
    }
    (void)snprintf(text, size, "%g%s", value, unit);
}

void parameters_say_fixed(const struct ys_throughput_plan *plan, const struct parameter *const *varied, size_t count,
                          char *text, size_t size)
{
    static const char *const names[] = {"phy",       "packet-length", "mtu",     "interval", "latency",
                                        "encrypted", "loss",          "seconds", "seed"};
    static const char *const words[] = {"PHY",       "packet length", "MTU",     "interval", "latency",
                                        "encrypted", "loss",          "seconds", "seed"};
    text[0] = '\0';
    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++) {
        const struct parameter *parameter = parameter_named(names[i]);
        char value[40];
        bool varies = parameter == NULL;
        for (size_t k = 0; k < count; k++)
            varies = varies || varied[k] == parameter;
        bool off = !varies && parameter->word == NULL && parameter->value(plan) <= 0 && strcmp(names[i], "seed") != 0;
        if (varies || off)
            continue;
        parameter_say(parameter, plan, value, sizeof value);
        size_t length = strlen(text);
        const char *between = length > 0 ? ", " : "";
        if (parameter->argument == NULL)
            (void)snprintf(text + length, size - length, "%s%s", between, words[i]);
        else
            (void)snprintf(text + length, size - length, "%s%s %s", between, words[i], value);
    }
}

/* what streams */

static uint8_t phys_best(uint8_t phys)
{
    return (phys & YS_2M) != 0                             ? YS_PHY_2M
           : (phys & YS_CODED) != 0 && (phys & YS_1M) == 0 ? YS_PHY_CODED_S8
                                                           : YS_PHY_1M;
}

struct ys_throughput_plan parameters_begin(const struct ys_design *design)
{
    struct ys_link_wishes wishes = {.packet_length = 0};
    bool asks = ys_link_of(design, &wishes);
    struct ys_throughput_plan plan = {
        .phy = (enum ys_phy)(asks ? phys_best(wishes.send_phys) : YS_PHY_1M),
        .packet_length = wishes.packet_length != 0 ? wishes.packet_length : YS_LINK_PAYLOAD_DEFAULT,
        .mtu = (uint16_t)(design->limits.mtu.given ? design->limits.mtu.number : YS_MTU_PREFERRED),
        .interval_us = wishes.interval_max_us != 0 ? wishes.interval_max_us : 30000,
        .latency = wishes.latency,
        .event_length_us = wishes.event_length_us,
        .links = 1,
        .network_duty = 0.3,
        .network_distance_m = 3,
        .device = ys_hardware_of_device,
        .central = ys_hardware_of_central,
        .seconds = 10,
        .seed = 1,
        .energy = design->energy.given ? &design->energy.figures : NULL,
    };
    if (wishes.coding == YS_CODING_S2 && plan.phy == YS_PHY_CODED_S8)
        plan.phy = YS_PHY_CODED_S2;
    plan.central_phy = plan.phy;
    return plan;
}

static const enum ys_way ways[YS_CARRIERS] = {
    [YS_CARRIER_STREAM] = YS_WAY_NOTIFY,        [YS_CARRIER_NOTIFICATIONS] = YS_WAY_NOTIFY,
    [YS_CARRIER_INDICATIONS] = YS_WAY_INDICATE, [YS_CARRIER_COMMANDS] = YS_WAY_WRITE_COMMAND,
    [YS_CARRIER_REQUESTS] = YS_WAY_WRITE,
};

static bool can_carry(const struct ys_characteristic *characteristic, enum ys_carrier carrier)
{
    return !ys_carrier_is_channel(carrier) && ys_offers(characteristic, ways[carrier]) &&
           (carrier == YS_CARRIER_STREAM) == (characteristic->streams && ways[carrier] == YS_WAY_NOTIFY);
}

/* How well a row suits a stream: streams first, then notifications, indications, writes; longer values are better. */
static size_t rank(const struct ys_row *row, enum ys_carrier *carrier)
{
    for (int i = 0; i < YS_CARRIER_CHANNEL; i++) {
        if (!can_carry(row->characteristic, (enum ys_carrier)i))
            continue;
        *carrier = (enum ys_carrier)i;
        return (size_t)(YS_CARRIER_CHANNEL - i) * 1000 + row->size;
    }
    return 0;
}

static bool find_row(const char *who, const struct ys_layout *layout, const char *name, enum ys_carrier wanted,
                     const struct ys_row **found, enum ys_carrier *carrier)
{
    size_t best = 0;
    *found = NULL;
    for (size_t i = 0; i < layout->count; i++) {
        const struct ys_row *row = &layout->rows[i];
        enum ys_carrier by = wanted;
        if (row->kind != YS_ATTRIBUTE_VALUE || row->service->implied ||
            (name != NULL && strcmp(row->characteristic->name, name) != 0))
            continue;
        size_t rank_of = wanted == YS_CARRIERS                    ? rank(row, &by)
                         : can_carry(row->characteristic, wanted) ? 1u + row->size
                                                                  : 0;
        if (rank_of <= best)
            continue;
        best = rank_of;
        *found = row;
        *carrier = by;
    }
    if (*found != NULL)
        return true;
    if (name != NULL && wanted == YS_CARRIERS)
        return complain(who, "there is no characteristic \"%s\" that can be notified, indicated or written", name);
    if (name != NULL)
        return complain(who, "\"%s\" is not offered as %s", name, ys_carrier_names[wanted]);
    return complain(who, "no characteristic of it can stream%s%s: try --carrier channel",
                    wanted == YS_CARRIERS ? "" : " as ", wanted == YS_CARRIERS ? "" : ys_carrier_names[wanted]);
}

bool parameters_source(const char *who, const struct ys_layout *layout, const char *name, const char *carrier,
                       struct ys_throughput_plan *plan, const struct ys_characteristic **characteristic)
{
    enum ys_carrier wanted = YS_CARRIERS;
    const struct ys_row *row;
    *characteristic = NULL;
    for (int i = 0; carrier != NULL && i < YS_CARRIERS; i++) {
        if (strcmp(carrier, ys_carrier_names[i]) == 0)
            wanted = (enum ys_carrier)i;
    }
    if (carrier != NULL && wanted == YS_CARRIERS)
        return complain(
            who,
            "--carrier must be stream, notifications, indications, commands, requests, channel or \"channel to "
            "device\", not \"%s\"",
            carrier);
    if (wanted != YS_CARRIERS && ys_carrier_is_channel(wanted)) {
        plan->carrier = wanted;
        plan->value_bytes = 512;
        return true;
    }
    if (!find_row(who, layout, name, wanted, &row, &plan->carrier) || row == NULL)
        return false;
    *characteristic = row->characteristic;
    plan->handle = (uint16_t)(row - layout->rows + 1);
    plan->value_bytes = row->size > 0 ? row->size : 1;
    plan->spacing_ms = (uint16_t)(row->characteristic->spacing_us.number / 1000);
    if (row->characteristic->ways[ways[plan->carrier]].right > YS_RIGHT_OPEN)
        plan->encrypted = true;
    return true;
}

/* the result */

static json_t *parameters_json(const struct ys_throughput_plan *plan)
{
    json_t *object = json_object();
    for (size_t i = 0; i < parameter_count; i++) {
        const struct parameter *parameter = &parameters[i];
        double value = parameter->value(plan);
        json_t *one = parameter->argument == NULL            ? json_boolean(value > 0)
                      : parameter->word != NULL              ? json_string(parameter->word(plan))
                      : strcmp(parameter->name, "seed") == 0 ? json_integer((json_int_t)plan->seed)
                      : value == floor(value)                ? json_integer((json_int_t)value)
                                                             : json_real(value);
        (void)json_object_set_new(object, parameter->key, one);
    }
    return object;
}

/* What only the sender knows, or only the air. */
static void leave_out(json_t *root, const struct ys_throughput_report *report)
{
    static const char *const of_sender[] = {"missing", "out_of_order", "latency_ms"};
    static const char *const of_air[] = {"packets", "data_packets", "retransmissions", "event_used_ratio",
                                         "airtime_ratio"};
    static const char *const of_limit[] = {"limit_bps", "ratio", "event_used_ratio", "latency_alone_ms"};
    for (size_t i = 0; i < sizeof of_sender / sizeof of_sender[0] && (report->recorded || report->foreign); i++)
        (void)json_object_set_new(root, of_sender[i], json_null());
    for (size_t i = 0; i < sizeof of_air / sizeof of_air[0] && report->live; i++)
        (void)json_object_set_new(root, of_air[i], json_null());
    for (size_t i = 0; i < sizeof of_limit / sizeof of_limit[0] && report->recorded && report->limit_bps <= 0; i++)
        (void)json_object_set_new(root, of_limit[i], json_null());
}

/* What the figures of a capture rest on. */
static json_t *basis_json(const struct ys_throughput_report *report)
{
    const struct ys_recorded_basis *basis = &report->basis;
    return json_pack("{s:b, s:b, s:b, s:b, s:b, s:I}", "beginning_heard", basis->beginning_heard, "interval_known",
                     report->shape.interval_us > 0, "interval_is_learned", basis->interval_is_learned, "mtu_known",
                     basis->knows_mtu, "packet_length_known", basis->knows_lengths, "holes", (json_int_t)basis->holes);
}

json_t *report_json(const struct ys_throughput_plan *plan, struct ys_throughput_report *report)
{
    const struct ys_link_meter *air = &report->air;
    const struct ys_link_side *sender = &air->sides[!report->shape.by_central];
    uint64_t packets = air->sides[0].packets + air->sides[1].packets;
    json_t *root = json_pack(
        "{s:s, s:o, s:s, s:b, s:f, s:f, s:f, s:f, s:I, s:I, s:I, s:I, s:I, s:I, s:I, s:f, s:f, s:{s:f, s:f, s:f}}",
        "carrier", ys_carrier_names[plan->carrier], "parameters", parameters_json(plan), "trouble", report->trouble,
        "ended", report->ended, "measured_s", report->seconds, "goodput_bps", report->goodput_bps, "limit_bps",
        report->limit_bps, "ratio", report->ratio, "values", (json_int_t)report->values, "value_bytes",
        (json_int_t)report->value_bytes, "missing", (json_int_t)report->missing, "out_of_order",
        (json_int_t)report->out_of_order, "packets", (json_int_t)packets, "data_packets",
        (json_int_t)sender->data_packets, "retransmissions", (json_int_t)sender->retransmissions, "event_used_ratio",
        report->used, "airtime_ratio", report->airtime, "latency_ms", "median",
        ys_samples_quantile(&report->latency_ms, 0.5), "p95", ys_samples_quantile(&report->latency_ms, 0.95), "max",
        ys_samples_quantile(&report->latency_ms, 1));
    (void)json_object_set_new(root, "measured_from_s", json_real(report->from_s));
    if (report->latency_ms.count == 0) /* nothing has arrived */
        (void)json_object_set_new(root, "latency_ms", json_null());
    (void)json_object_set_new(root, "live", json_boolean(report->live));
    (void)json_object_set_new(root, "latency_alone_ms",
                              json_pack("{s:f, s:f, s:f}", "median", report->alone.median_ms, "p95",
                                        report->alone.p95_ms, "max", report->alone.max_ms));
    leave_out(root, report);
    if (report->recorded)
        (void)json_object_set_new(root, "rests_on", basis_json(report));
    if (report->mc_per_megabyte > 0) {
        (void)json_object_set_new(root, "charge_mc_per_megabyte", json_real(report->mc_per_megabyte));
        (void)json_object_set_new(root, "mean_current_ua", json_real(report->mean_ua));
    }
    if (report->alone_ms.count > 0)
        (void)json_object_set_new(root, "latency_alone_measured_ms",
                                  json_pack("{s:f, s:f, s:f}", "median", ys_samples_quantile(&report->alone_ms, 0.5),
                                            "p95", ys_samples_quantile(&report->alone_ms, 0.95), "max",
                                            ys_samples_quantile(&report->alone_ms, 1)));
    if (report->error > 0)
        (void)json_object_set_new(root, "ratio_error", json_real(report->error));
    if (plan->both) {
        (void)json_object_set_new(root, "back_goodput_bps", json_real(report->back_bps));
        (void)json_object_set_new(root, "back_limit_bps", json_real(report->back_limit_bps));
    }
    if (report->links > 1) {
        json_t *shares = json_array();
        for (size_t i = 0; i < report->links; i++)
            (void)json_array_append_new(shares, json_pack("{s:f, s:f}", "goodput_bps", report->shares[i].goodput_bps,
                                                          "back_goodput_bps", report->shares[i].back_bps));
        (void)json_object_set_new(root, "links", shares);
    }
    if (plan->bit_errors > 0) {
        double best_bps = 0;
        uint8_t best = ys_link_best_length(&report->shape, &best_bps);
        (void)json_object_set_new(root, "best_packet_length_bytes", json_integer(best));
        (void)json_object_set_new(root, "best_limit_bps", json_real(best_bps));
    }
    if (plan->distance_m > 0) {
        (void)json_object_set_new(root, "strength_dbm", json_real(report->strength_dbm));
        (void)json_object_set_new(root, "margin_db", json_real(report->margin_db));
    }
    return root;
}
