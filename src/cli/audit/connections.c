/* The connections of a capture: what is known of each, and how. */
#include "cli/audit/connections.h"

#include <stdarg.h>
#include <stdio.h>

#include "capture/follow/pacing.h"
#include "cli/shared/parameters.h"
#include "cli/shared/say.h"

/* as text */

static void row(const char *name, const char *format, ...) __attribute__((format(printf, 2, 3)));

static void row(const char *name, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    (void)printf("      %-11s", name);
    (void)vprintf(format, arguments);
    (void)putchar('\n');
    va_end(arguments);
}

static const char *name_of(const struct ys_air_link *link, int side)
{
    static const char *const roles[] = {"a central", "a peripheral"};
    return link->parties[side] != NULL ? link->parties[side]->name : roles[side];
}

static void print_interval(const struct ys_air_link *link)
{
    if (link->interval_us == 0)
        row("interval", "not known");
    else
        row("interval", "%g ms, %s", link->interval_us / 1e3,
            link->interval_is_learned ? "from the times of its events" : "as agreed");
}

static void print_hops(const struct ys_air_link *link)
{
    const struct ys_hopping *hopping = &link->hopping;
    bool algorithm_2 = link->channel_selection_2;
    if (!link->begun && !link->placed)
        row("hops", "not known");
    else if (algorithm_2)
        row("hops", "by channel selection algorithm #2%s", link->counted ? "" : ", at an event that is not known");
    else
        row("hops", "by channel selection algorithm #1, with an increment of %u", link->request.hop);
    if (hopping->found)
        row("", "recovered: %u events are on the channels that it gives", hopping->confirmed);
    unsigned used = ys_link_channel_count(link->channel_map);
    if (link->knows_map)
        row("channels", "%u are used", used);
    else if (hopping->found)
        row("channels", "of %u of 37 it is known whether they are used", ys_hopping_known_channels(hopping));
    else
        row("channels", "not known");
}

static void print_packets(const struct ys_air_link *link)
{
    const struct ys_link_lengths *const lengths[] = {&link->ends[0].lengths, &link->ends[1].lengths};
    if (link->begun)
        row("CRC", "begins with 0x%06x, as agreed", link->crc_init);
    else if (link->crc_fits >= YS_CRC_LEARNT)
        row("CRC", "begins with 0x%06x: %u packets fit", link->crc_init, link->crc_fits);
    else
        row("CRC", "not known");
    row("PHY", "%s from the central, %s from the peripheral", phy_words[link->phys[0]], phy_words[link->phys[1]]);
    if (lengths[0]->send_octets > 0 && lengths[1]->send_octets > 0)
        row("lengths", "at most %u bytes of data from the central, %u from the peripheral, as agreed",
            lengths[0]->send_octets < lengths[1]->receive_octets ? lengths[0]->send_octets : lengths[1]->receive_octets,
            lengths[1]->send_octets < lengths[0]->receive_octets ? lengths[1]->send_octets
                                                                 : lengths[0]->receive_octets);
    else
        row("lengths", "the longest packets had %u bytes of data from the central, %u from the peripheral",
            link->longest[0], link->longest[1]);
    if (link->dialogue.mtu_is_sure)
        row("MTU", "%u", link->dialogue.mtu);
    else if (link->dialogue.longest_att > YS_ATT_MTU_DEFAULT)
        row("MTU", "at least %u, by the longest frame", link->dialogue.longest_att);
    else
        row("MTU", "not known");
    if (!link->sides_are_said)
        row("sides", "from the order of the packets: the capture does not name the sender");
}

static void print_clock(const struct ys_air_link *link)
{
    double ppm;
    if (!ys_pacing_drift(link, &ppm))
        row("clock", "not known: too few events were heard from their beginning on");
    else
        row("clock", "the central's is %.1f ppm %s than the recorder's: a line through %llu events in %.1f s",
            ppm < 0 ? -ppm : ppm, ppm < 0 ? "faster" : "slower", (unsigned long long)link->clock.count,
            link->clock.last_s);
}

static void print_connection(void *context, const struct ys_air_link *link)
{
    const uint64_t *first_ns = context;
    (void)printf("    packet %llu, %.6f s: ", (unsigned long long)link->first_record,
                 ((double)link->first_ns - (double)*first_ns) / 1e9);
    put_plain(stdout, name_of(link, 0));
    (void)fputs(" and ", stdout);
    put_plain(stdout, name_of(link, 1));
    (void)printf(", access address 0x%08x, %llu packets%s\n", link->access_address, (unsigned long long)link->packets,
                 link->begun ? "" : "; its beginning is missing");
    print_interval(link);
    print_hops(link);
    print_packets(link);
    print_clock(link);
}

static void count_link(void *context, const struct ys_air_link *link)
{
    unsigned *count = context;
    (void)link;
    ++*count;
}

static void count_if_joined(void *context, const struct ys_air_link *link)
{
    unsigned *count = context;
    *count += !link->begun;
}

void print_connections(const struct ys_follower *follower, uint64_t first_ns)
{
    unsigned count = 0;
    ys_follower_links(follower, count_link, &count);
    if (count == 0)
        return;
    (void)puts("  connections, as they were at their end");
    ys_follower_links(follower, print_connection, &first_ns);
    (void)putchar('\n');
}

unsigned count_joined(const struct ys_follower *follower)
{
    unsigned count = 0;
    ys_follower_links(follower, count_if_joined, &count);
    return count;
}

/* as JSON */

struct listing {
    json_t *list;
    uint64_t first_ns;
};

static json_t *number_if(bool known, json_int_t number)
{
    return known ? json_integer(number) : json_null();
}

static json_t *text_if(const char *text)
{
    json_t *json = text != NULL ? json_string(text) : NULL;
    return json != NULL ? json : json_null();
}

static json_t *map_json(const struct ys_air_link *link)
{
    if (!link->knows_map)
        return json_null();
    json_t *list = json_array();
    for (int channel = 0; channel < 37; channel++) {
        if ((link->channel_map[channel / 8] >> channel % 8 & 1) != 0)
            (void)json_array_append_new(list, json_integer(channel));
    }
    return list;
}

static void list_connection(void *context, const struct ys_air_link *link)
{
    struct listing *listing = context;
    const struct ys_hopping *hopping = &link->hopping;
    bool knows_hops = link->begun || link->placed;
    double ppm;
    bool knows_clock = ys_pacing_drift(link, &ppm);
    json_t *json = json_pack("{s:I, s:f, s:o, s:o, s:I, s:I, s:b}", "number", (json_int_t)link->first_record, "time_s",
                             ((double)link->first_ns - (double)listing->first_ns) / 1e9, "central",
                             text_if(link->parties[0] != NULL ? link->parties[0]->name : NULL), "peripheral",
                             text_if(link->parties[1] != NULL ? link->parties[1]->name : NULL), "access_address",
                             (json_int_t)link->access_address, "packets", (json_int_t)link->packets, "beginning_heard",
                             link->begun);
    json_t *more = json_pack(
        "{s:o, s:b, s:o, s:o, s:i, s:o, s:i, s:o, s:i, s:s, s:s}", "interval_ms",
        link->interval_us > 0 ? json_real(link->interval_us / 1e3) : json_null(), "interval_is_learned",
        link->interval_is_learned, "channel_selection", number_if(knows_hops, link->channel_selection_2 ? 2 : 1),
        "hop_increment", number_if(knows_hops && !link->channel_selection_2, link->request.hop), "events_that_fit",
        (int)hopping->confirmed, "channels", map_json(link), "channels_known",
        link->knows_map  ? 37
        : hopping->found ? (int)ys_hopping_known_channels(hopping)
                         : 0,
        "crc_init", number_if(link->begun || link->crc_fits >= YS_CRC_LEARNT, link->crc_init), "packets_whose_crc_fits",
        (int)link->crc_fits, "central_phy", phy_words[link->phys[0]], "peripheral_phy", phy_words[link->phys[1]]);
    json_t *rest = json_pack("{s:o, s:i, s:o, s:I}", "mtu", number_if(link->dialogue.mtu_is_sure, link->dialogue.mtu),
                             "longest_frame", link->dialogue.longest_att, "central_clock_slow_ppm",
                             knows_clock ? json_real(ppm) : json_null(), "clock_events", (json_int_t)link->clock.count);
    if (json != NULL && more != NULL && rest != NULL && json_object_update(json, more) == 0)
        (void)json_object_update(json, rest);
    json_decref(more);
    json_decref(rest);
    (void)json_array_append_new(listing->list, json);
}

json_t *connections_json(const struct ys_follower *follower, uint64_t first_ns)
{
    struct listing listing = {.list = json_array(), .first_ns = first_ns};
    ys_follower_links(follower, list_connection, &listing);
    return listing.list;
}
