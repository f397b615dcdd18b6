/* What a definition says of its connections: the keys of `link`. */
#include "design/reading/read_link.h"

#include <stddef.h>

#include "design/model/model.h"
#include "design/reading/advertising.h"
#include "design/reading/yaml.h"
#include "wire/link.h"

#define COUNT(array)  (sizeof(array) / sizeof((array)[0]))
#define LINK(member)  offsetof(struct ys_design, link.member)
#define PAUSE_MOST_US 60000000
#define STEP_US       1250
#define LONGEST_US    32000000 /* supervision timeout */

static void error(const struct ys_node *node, const char *text)
{
    ys_findings_add(node->findings, YS_ERROR, "link", node->place, "%s", text);
}

static void link_interval(const struct ys_node *node, void *target)
{
    struct ys_device_link *link = &((struct ys_design *)target)->link;
    uint64_t ends[2];
    link->interval_place = node->place;
    if (!ys_read_interval(node, ends))
        return;
    if (ends[0] < 7500 || ends[1] > 4000000 || ends[0] > ends[1] || ends[0] % STEP_US != 0 || ends[1] % STEP_US != 0) {
        error(node, "a connection interval must be from 7.5 ms to 4 s in steps of 1.25 ms, the minimum first");
        return;
    }
    link->interval_min_us = (uint32_t)ends[0];
    link->interval_max_us = (uint32_t)ends[1];
}

static void link_timeout(const struct ys_node *node, void *target)
{
    const struct ys_counted *timeout_us = &((const struct ys_design *)target)->link.timeout_us;
    ys_key_time(node, target);
    if (timeout_us->given &&
        (timeout_us->number < 100000 || timeout_us->number > LONGEST_US || timeout_us->number % 10000 != 0))
        error(node, "a supervision timeout must be from 100 ms to 32 s in steps of 10 ms");
}

static void link_pause(const struct ys_node *node, void *target)
{
    const struct ys_counted *pause_us = &((const struct ys_design *)target)->link.pause_us;
    ys_key_time(node, target);
    if (pause_us->given && pause_us->number > PAUSE_MOST_US)
        error(node, "a pause must be at most 60 s");
}

static void link_event_length(const struct ys_node *node, void *target)
{
    const struct ys_counted *length_us = &((const struct ys_design *)target)->link.event_length_us;
    ys_key_time(node, target);
    if (length_us->given && (length_us->number < 1250 || length_us->number > 4000000 || length_us->number % 625 != 0))
        error(node, "an event length must be from 1.25 ms to 4 s in steps of 0.625 ms");
}

static const char *const phys[] = {"1M", "2M", "coded", "coded-s2", "coded-s8", NULL};
static const struct ys_kind kind_phy = {.form = YS_WORD, .words = phys};
static const char *const answers[] = {"everything", "own interval", "nothing", NULL};
static const struct ys_kind kind_accepts = {.form = YS_WORD, .words = answers};
static const struct ys_kind kind_latency = {.form = YS_NUMBER, .greatest = 499};
static const struct ys_kind kind_packet = {.form = YS_NUMBER, .least = 27, .greatest = 251};

static const struct ys_key link_keys[] = {
    {"interval", link_interval, &ys_kind_interval,
     "Requested connection interval, 7.5 ms to 4 s: a time, or minimum and maximum (default: the central chooses)",
     false, 0},
    {"latency", ys_key_number, &kind_latency, "Requested peripheral latency in connection events, 0 to 499", false,
     LINK(latency)},
    {"supervision timeout", link_timeout, &ys_kind_time,
     "Requested supervision timeout, 100 ms to 32 s (default 4 s, or more where required)", false, LINK(timeout_us)},
    {"pause", link_pause, &ys_kind_time, "Time before the request, up to 60 s (default 5 s)", false, LINK(pause_us)},
    {"phy", ys_key_word, &kind_phy, "Requested PHY in both directions", false, LINK(phy)},
    {"receive phy", ys_key_word, &kind_phy, "Requested PHY for receiving, if it is another one", false,
     LINK(receive_phy)},
    {"packet length", ys_key_number, &kind_packet, "Payload of a sent link-layer packet, 27 to 251 bytes", false,
     LINK(packet_length)},
    {"event length", link_event_length, &ys_kind_time, "Maximum length of a connection event", false,
     LINK(event_length_us)},
    {"accepts", ys_key_word, &kind_accepts,
     "Which requests of the other side are accepted: everything (default), own interval, or nothing", false,
     LINK(accepts)},
};
static const struct ys_mapping link_mapping = {"link", link_keys, COUNT(link_keys), NULL};
const struct ys_kind ys_kind_link = {.form = YS_MAPPING, .mapping = &link_mapping};

void ys_read_link(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    design->link.given = true;
    design->link.place = node->place;
    (void)ys_yaml_mapping(node, &link_mapping, target);
}
