/* What a definition says of its connections: the keys of `link`, what is wrong with them, and what the host takes. */
#include "design/link.h"

#include <stddef.h>

#include "design/check.h"
#include "design/keys.h"
#include "wire/link.h"

#define COUNT(array)  (sizeof(array) / sizeof((array)[0]))
#define LINK(member)  offsetof(struct ys_design, link.member)
#define PAUSE_MOST_US 60000000
#define STEP_US       1250

/* Without a word of it, the supervision timeout is this, or as much more as six events need. */
#define TIMEOUT_USUAL_US 4000000
#define TIMEOUT_MOST_US  32000000

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
        error(node, "a connection interval must be from 7.5 ms to 4 s in steps of 1.25 ms, the least first");
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
        (timeout_us->number < 100000 || timeout_us->number > TIMEOUT_MOST_US || timeout_us->number % 10000 != 0))
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

static const char *const phys[] = {"1M", "2M", "coded", "coded S2", "coded S8", NULL};
static const struct ys_kind kind_phy = {.form = YS_WORD, .words = phys};
static const char *const answers[] = {"everything", "own interval", "nothing", NULL};
static const struct ys_kind kind_accepts = {.form = YS_WORD, .words = answers};
static const struct ys_kind kind_latency = {.form = YS_NUMBER, .greatest = 499};
static const struct ys_kind kind_packet = {.form = YS_NUMBER, .least = 27, .greatest = 251};

static const struct ys_key link_keys[] = {
    {"interval", link_interval, &ys_kind_interval,
     "Connection interval that it asks for, 7.5 ms to 4 s: one, or the least and the greatest; what the central chose "
     "if "
     "left out",
     false, 0},
    {"latency", ys_key_number, &kind_latency, "Connection events that it may leave out, 0 to 499", false,
     LINK(latency)},
    {"supervision timeout", link_timeout, &ys_kind_time,
     "After how long without a packet the connection is lost, 100 ms to 32 s; 4 s if left out, or more where needed",
     false, LINK(timeout_us)},
    {"pause", link_pause, &ys_kind_time, "How long it waits before it asks, up to 60 s; 5 s if left out", false,
     LINK(pause_us)},
    {"phy", ys_key_word, &kind_phy, "The PHY that it asks for in both directions", false, LINK(phy)},
    {"receive phy", ys_key_word, &kind_phy, "The PHY on which it receives, if another one", false, LINK(receive_phy)},
    {"packet length", ys_key_number, &kind_packet, "Data in a packet that it sends, 27 to 251 bytes", false,
     LINK(packet_length)},
    {"event length", link_event_length, &ys_kind_time, "How long a connection event may last", false,
     LINK(event_length_us)},
    {"accepts", ys_key_word, &kind_accepts,
     "Which parameters of the other side it accepts: everything (if left out), within its own interval, or nothing",
     false, LINK(accepts)},
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

/* The shortest timeout that is more than (1 + latency) x interval x 2, in whole steps. */
static uint64_t least_timeout_us(const struct ys_device_link *link)
{
    uint64_t twice_us = 2 * (1 + link->latency.number) * link->interval_max_us;
    return (twice_us / 10000 + 1) * 10000;
}

static uint64_t chosen_timeout_us(const struct ys_device_link *link)
{
    if (link->timeout_us.given)
        return link->timeout_us.number;
    uint64_t six_us = 3 * least_timeout_us(link);
    uint64_t us = six_us > TIMEOUT_USUAL_US ? six_us : TIMEOUT_USUAL_US;
    return us < TIMEOUT_MOST_US ? us : TIMEOUT_MOST_US;
}

void ys_check_link(struct ys_design *design)
{
    const struct ys_device_link *link = &design->link;
    bool asks = link->interval_max_us != 0;
    if (!link->given)
        return;
    if (!asks && link->interval_place.line == 0 && (link->latency.given || link->timeout_us.given))
        ys_findings_add(&design->findings, YS_ERROR, "link", link->place,
                        "latency and supervision timeout are asked for together with an interval: say which");
    double interval_ms = link->interval_max_us / 1000.0;
    unsigned latency = (unsigned)link->latency.number;
    double least_s = (double)least_timeout_us(link) / 1e6;
    if (asks && least_timeout_us(link) > TIMEOUT_MOST_US)
        ys_findings_add(
            &design->findings, YS_ERROR, "link", link->interval_place,
            "an interval of %g ms with a latency of %u needs a supervision timeout of %g s, and 32 s is the "
            "longest: take a shorter interval, or less latency",
            interval_ms, latency, least_s);
    else if (asks && least_timeout_us(link) > chosen_timeout_us(link))
        ys_findings_add(
            &design->findings, YS_ERROR, "link", link->interval_place,
            "with an interval of %g ms and a latency of %u the supervision timeout must be at least %g s, and "
            "it is %g s: take a longer one, or less latency",
            interval_ms, latency, least_s, (double)chosen_timeout_us(link) / 1e6);
    if (link->accepts == YS_LINK_ACCEPT_WITHIN + 1 && !asks)
        ys_findings_add(&design->findings, YS_ERROR, "link", link->place,
                        "it accepts only its own interval, and has none: add one");
}

/* By the words of the key, from 1. */
static uint8_t phy_of(int word)
{
    static const uint8_t bits[] = {0, YS_LINK_1M, YS_LINK_2M, YS_LINK_CODED, YS_LINK_CODED, YS_LINK_CODED};
    return bits[word];
}

bool ys_link_of(const struct ys_design *design, struct ys_link_wishes *wishes)
{
    const struct ys_device_link *said = &design->link;
    bool asks = said->interval_max_us != 0;
    *wishes = (struct ys_link_wishes){
        .interval_min_us = said->interval_min_us,
        .interval_max_us = said->interval_max_us,
        .latency = (uint16_t)said->latency.number,
        .supervision_timeout_ms = (uint16_t)(asks ? chosen_timeout_us(said) / 1000 : 0),
        .event_length_us = (uint32_t)said->event_length_us.number,
        .pause_ms = (uint16_t)(said->pause_us.given ? said->pause_us.number / 1000 : 5000),
        .packet_length = (uint8_t)said->packet_length.number,
        .send_phys = phy_of(said->phy),
        .receive_phys = phy_of(said->receive_phy != 0 ? said->receive_phy : said->phy),
        .coding = (uint8_t)(said->phy == 4   ? YS_CODING_S2
                            : said->phy == 5 ? YS_CODING_S8
                                             : YS_CODING_ANY),
        .accepts = (uint8_t)(said->accepts > 0 ? said->accepts - 1 : YS_LINK_ACCEPT),
    };
    return said->given;
}
