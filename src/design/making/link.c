/* What a definition wants of its connections, as the host takes it. */
#include "design/making/link.h"

/* Without a word of it, the supervision timeout is this, or as much more as six events need. */
#define TIMEOUT_USUAL_US 4000000

uint64_t ys_link_least_timeout_us(const struct ys_device_link *link)
{
    uint64_t twice_us = 2 * (1 + link->latency.number) * link->interval_max_us;
    return (twice_us / 10000 + 1) * 10000;
}

uint64_t ys_link_timeout_us(const struct ys_device_link *link)
{
    if (link->timeout_us.given)
        return link->timeout_us.number;
    uint64_t six_us = 3 * ys_link_least_timeout_us(link);
    uint64_t us = six_us > TIMEOUT_USUAL_US ? six_us : TIMEOUT_USUAL_US;
    return us < YS_LINK_TIMEOUT_MOST_US ? us : YS_LINK_TIMEOUT_MOST_US;
}

/* By the words of the key, from 1. */
static uint8_t phy_of(int word)
{
    static const uint8_t bits[] = {0, YS_1M, YS_2M, YS_CODED, YS_CODED, YS_CODED};
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
        .supervision_timeout_ms = (uint16_t)(asks ? ys_link_timeout_us(said) / 1000 : 0),
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
