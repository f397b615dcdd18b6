/* What is recovered of a connection whose beginning is missing: two seconds of its traffic, without a word of which
 * side has sent what, tell the interval, how it hops, which channels it uses, where its CRC begins, and how far its
 * clock is off. What is recovered is right in 99 of 100; the rest is said to be unknown. How many are drawn of each
 * kind: YARNSWIFT_RECOVERY, 1 if it is not set. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/follow/follow.h"
#include "capture/follow/pacing.h"
#include "sim/chance.h"

#define SECONDS 2e9

/* A connection as it really is. */
struct truth {
    bool algorithm_2;
    enum ys_phy phy;
    uint32_t access_address;
    uint32_t crc_init;
    uint32_t interval_us;
    uint8_t channel_map[5];
    uint8_t hop;
    uint8_t unmapped;
    uint16_t counter;
    double ppm;       /* by which its clock is slow */
    uint32_t missing; /* of a thousand packets */
};

/* How often something was recovered. */
struct score {
    unsigned right;
    unsigned unknown;
    unsigned wrong;
};

struct scores {
    struct score interval;
    struct score hops;
    struct score channel; /* of an event */
    struct score map;
    struct score crc;
    struct score side; /* of packets */
};

struct listening {
    struct ys_follower *follower;
    const struct truth *truth;
    struct scores *scores;
    const struct ys_air_link *link;
    int side;  /* of the packet that is heard now */
    bool late; /* the two seconds are over */
};

static void count(struct score *score, bool known, bool right)
{
    score->right += known && right;
    score->wrong += known && !right;
    score->unknown += !known;
}

static void take(void *context, const struct ys_seen *seen)
{
    struct listening *listening = context;
    if (seen->kind != YS_SEEN_LINK)
        return;
    listening->link = seen->link;
    if (listening->late)
        count(&listening->scores->side, true, seen->packet.side == listening->side);
}

static struct truth draw(struct ys_chance *chance, const struct truth *kind, unsigned channels)
{
    struct truth truth = *kind;
    truth.access_address = 0x50000000 | (ys_chance_below(chance, 0xffff) << 8) | 0x35;
    truth.crc_init = ys_chance_below(chance, 0xffffff);
    truth.hop = (uint8_t)(5 + ys_chance_below(chance, 12));
    truth.unmapped = (uint8_t)ys_chance_below(chance, 37);
    truth.counter = (uint16_t)ys_chance_below(chance, 65536);
    truth.ppm = (double)ys_chance_below(chance, 101) - 50;
    while (ys_link_channel_count(truth.channel_map) < channels) {
        uint32_t channel = ys_chance_below(chance, 37);
        truth.channel_map[channel / 8] |= (uint8_t)(1u << channel % 8);
    }
    return truth;
}

static void hear(struct listening *listening, uint64_t start_ns, uint8_t channel, int side, const uint8_t *pdu,
                 uint16_t length)
{
    static struct ys_record record;
    const struct truth *truth = listening->truth;
    record = (struct ys_record){.number = record.number + 1,
                                .at_ns = start_ns,
                                .kind = YS_RECORD_AIR,
                                .known = YS_AIR_CHANNEL | YS_AIR_PHY,
                                .air = {.start_ns = start_ns,
                                        .duration_ns = ys_link_duration_ns(truth->phy, length),
                                        .channel = channel,
                                        .phy = truth->phy,
                                        .access_address = truth->access_address,
                                        .length = length,
                                        .crc = ys_link_crc(truth->crc_init, pdu, length)}};
    memcpy(record.air.pdu, pdu, length);
    listening->side = side;
    ys_follower_take(listening->follower, &record);
}

static uint8_t next_channel(struct truth *truth)
{
    uint16_t counter = truth->counter++;
    if (truth->algorithm_2)
        return ys_link_event_channel(truth->access_address, counter, truth->channel_map);
    return ys_link_next_channel(&truth->unmapped, truth->hop, truth->channel_map);
}

/* Two seconds from the middle of a connection on. */
static void recover(struct truth truth, struct ys_chance *chance, struct scores *scores, double *ppm)
{
    struct listening listening = {.truth = &truth, .scores = scores};
    const uint64_t begin_ns = UINT64_C(7000000000) + ys_chance_below(chance, 1000000);
    double interval_ns = truth.interval_us * 1e3 * (1 + truth.ppm / 1e6);
    bool sequence = false;
    unsigned events = (unsigned)(SECONDS / interval_ns);
    listening.follower = ys_follower_new(take, &listening);
    assert_non_null(listening.follower);
    for (unsigned i = 0; i < events; i++) {
        /* SN, then NESN, which the peripheral has turned already */
        const uint8_t central[] = {(uint8_t)(1 | (sequence ? 0x0c : 0)), 0};
        const uint8_t peripheral[] = {(uint8_t)(1 | (sequence ? 0x08 : 0x04)), 0};
        uint8_t channel = next_channel(&truth);
        uint64_t anchor_ns = begin_ns + (uint64_t)(i * interval_ns);
        uint64_t answer_ns = anchor_ns + ys_link_duration_ns(truth.phy, 2) + YS_LINK_INTER_FRAME_SPACE_NS;
        bool joined_in_an_event = i == 0 && ys_chance_below(chance, 2) > 0;
        listening.late = i > events / 2 && truth.missing == 0;
        if (!joined_in_an_event && ys_chance_below(chance, 1000) >= truth.missing)
            hear(&listening, anchor_ns, channel, 0, central, 2);
        if (ys_chance_below(chance, 1000) >= truth.missing)
            hear(&listening, answer_ns, channel, 1, peripheral, 2);
        sequence = !sequence;
    }
    const struct ys_air_link *link = listening.link;
    uint8_t expected;
    struct truth before = truth; /* at its last event, which the link stands at */
    before.counter--;
    before.unmapped = (uint8_t)((before.unmapped + 37u - before.hop) % 37);
    count(&scores->interval, link->interval_us != 0, link->interval_us == truth.interval_us);
    bool knows_channel = ys_air_link_channel(link, &expected);
    count(&scores->channel, knows_channel, knows_channel && expected == next_channel(&before));
    count(&scores->hops, link->placed,
          link->channel_selection_2 == truth.algorithm_2 && (truth.algorithm_2 || link->request.hop == truth.hop));
    count(&scores->map, link->knows_map, memcmp(link->channel_map, truth.channel_map, 5) == 0);
    count(&scores->crc, link->crc_fits >= YS_CRC_LEARNT, link->crc_init == truth.crc_init);
    if (!ys_pacing_drift(link, ppm))
        *ppm = -1000;
    ys_follower_free(listening.follower);
}

static void add(struct score *sum, const struct score *score)
{
    sum->right += score->right;
    sum->unknown += score->unknown;
    sum->wrong += score->wrong;
}

static void expect_right(const struct score *score, const char *what)
{
    print_message("%s: %u right, %u wrong, %u unknown\n", what, score->right, score->wrong, score->unknown);
    assert_true(score->wrong * 100 <= score->right + score->wrong);
    assert_true(score->right > 0);
}

static void expect_known(const struct score *score, const char *what, const struct truth *truth)
{
    if (score->unknown * 10 > score->right)
        fail_msg("%s: %u right, %u unknown, with %u us", what, score->right, score->unknown, truth->interval_us);
}

/* All that is recovered of connections of one kind. */
static void recover_kind(const struct truth *kind, unsigned channels, unsigned draws, struct ys_chance *chance,
                         struct scores *sums)
{
    struct scores scores = {.map = {0}};
    for (unsigned i = 0; i < draws; i++) {
        double ppm;
        struct truth truth = draw(chance, kind, channels);
        recover(truth, chance, &scores, &ppm);
        if (ppm > -1000 && (ppm - truth.ppm > 1 || truth.ppm - ppm > 1))
            fail_msg("the clock is %g ppm slow, not %g", truth.ppm, ppm);
    }
    expect_known(&scores.crc, "CRC", kind);
    if (kind->interval_us <= 50000 && kind->missing == 0)
        expect_known(&scores.interval, "interval", kind);
    if (kind->interval_us <= 15000 && kind->missing == 0)
        expect_known(&scores.hops, "hops", kind);
    add(&sums->interval, &scores.interval);
    add(&sums->hops, &scores.hops);
    add(&sums->channel, &scores.channel);
    add(&sums->map, &scores.map);
    add(&sums->crc, &scores.crc);
    add(&sums->side, &scores.side);
}

static void a_connection_that_was_joined_is_recovered(void **state)
{
    static const uint32_t intervals_us[] = {7500, 15000, 30000, 50000, 100000, 400000};
    static const unsigned channel_counts[] = {37, 36, 30, 20, 10, 6, 5, 3, 2};
    static const uint32_t missing[] = {0, 0, 50};
    const char *draws_text = getenv("YARNSWIFT_RECOVERY");
    unsigned draws = draws_text != NULL ? (unsigned)strtoul(draws_text, NULL, 10) : 1;
    struct ys_chance chance = ys_chance_of(1, 1);
    struct scores sums = {.map = {0}};
    const unsigned kinds = COUNT(channel_counts) * 6;
    (void)state;
    for (unsigned i = 0; i < COUNT(intervals_us) * kinds; i++) {
        struct truth kind = {.algorithm_2 = i % 2 != 0,
                             .phy = (enum ys_phy)(i / 2 % 3),
                             .interval_us = intervals_us[i / 6 / COUNT(channel_counts)],
                             .missing = missing[(i + i / 6) % COUNT(missing)]};
        recover_kind(&kind, channel_counts[i / 6 % COUNT(channel_counts)], draws, &chance, &sums);
        if ((i + 1) % kinds == 0)
            print_message("up to %u us: of %u the interval of %u is not known, how it hops of %u\n", kind.interval_us,
                          sums.crc.right, sums.interval.unknown, sums.hops.unknown);
    }
    expect_right(&sums.interval, "interval");
    expect_right(&sums.hops, "hops");
    expect_right(&sums.channel, "channel");
    expect_right(&sums.map, "map");
    expect_right(&sums.crc, "CRC");
    expect_right(&sums.side, "side");
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_connection_that_was_joined_is_recovered),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
