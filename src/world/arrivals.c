/* Values that come to a central: kept, and listed in its log as they come. */
#include "world/arrivals.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/making/value_unknown.h"
#include "wire/hex.h"
#include "world/tasks.h"
#include "world/whom.h"

/* A value that fills its packet may be the beginning of a longer one (Core 5.4 Vol 3 Part F 3.4.7.1). */
static bool fits(const struct ys_central *central, const struct ys_peer *peer, const struct ys_arrival *arrival)
{
    const struct ys_field *field = ys_peer_field(peer, arrival->handle);
    return field == NULL || ys_value_fits(field, arrival->bytes, arrival->length) ||
           arrival->length + 3 >= ys_host_mtu(central->host, peer->connection);
}

/* Where all are listed, those that come fast are listed a few times a second, with how many there were between. */
static bool is_listed_now(struct ys_central *central, const struct ys_arrival *arrival, unsigned *skipped)
{
    struct listed_value *value = NULL;
    for (size_t i = 0; i < LISTED_MOST && value == NULL; i++) {
        if (central->values[i].handle == arrival->handle || central->values[i].handle == 0)
            value = &central->values[i];
    }
    if (value == NULL || arrival->indicated)
        return true;
    if (value->handle != 0 && arrival->at_ns - value->at_ns < LIST_SPACING_NS) {
        value->skipped++;
        return false;
    }
    *skipped = value->skipped;
    *value = (struct listed_value){.handle = arrival->handle, .at_ns = arrival->at_ns};
    return true;
}

/* The first few, and then some. */
static bool is_among_some(struct ys_central *central, const struct ys_arrival *arrival)
{
    central->listed += !arrival->indicated;
    return arrival->indicated || central->listed <= LIST_FIRST || central->listed % LIST_EVERY == 0;
}

static void list_value(struct ys_central *central, const struct ys_peer *peer, const struct ys_arrival *arrival)
{
    char text[240];
    char raw[64];
    char name[64];
    char more[64] = "";
    unsigned skipped = 0;
    bool first_misfit = !arrival->fits && central->misfits == 1;
    if (!first_misfit && central->listing == YS_LIST_NONE)
        return;
    if (!first_misfit && !(central->listing == YS_LIST_SOME ? is_among_some(central, arrival)
                                                            : is_listed_now(central, arrival, &skipped)))
        return;
    if (skipped > 0)
        (void)snprintf(more, sizeof more, "  (%u more before it)", skipped);
    if (central->listing == YS_LIST_SOME && !arrival->indicated && central->listed == LIST_FIRST)
        (void)snprintf(more, sizeof more, "  (from here on every tenth is shown)");
    ys_value_say(ys_peer_field(peer, arrival->handle), arrival->bytes, arrival->length, text, sizeof text);
    (void)ys_hex_format(arrival->bytes, arrival->length, " ", raw, sizeof raw);
    if (strncmp(text, raw, strlen(raw)) == 0) /* bytes are their own words */
        raw[0] = '\0';
    central_say(central, "is %s: %s %-*s%s%s%s%s%s", arrival->indicated ? "indicated" : "notified",
                ys_peer_value_name(peer, arrival->handle, name, sizeof name), raw[0] != '\0' ? 9 : 0, text,
                raw[0] != '\0' ? " [" : "", raw, raw[0] != '\0' ? "]" : "", arrival->fits ? "" : ": " YS_DOES_NOT_FIT,
                more);
}

void central_notified(struct ys_central *central, const struct ys_event *event)
{
    const struct ys_peer *peer = central_peer_of(central, event->connection);
    uint16_t length = event->u.notification.length;
    struct ys_arrival *arrival = peer != NULL ? malloc(sizeof *arrival + length) : NULL;
    if (arrival == NULL)
        return;
    *arrival = (struct ys_arrival){
        .peer = peer,
        .at_ns = ys_world_now_ns(central->world),
        .handle = event->u.notification.handle,
        .indicated = event->u.notification.kind == YS_BY_INDICATION,
        .length = length,
    };
    memcpy(arrival->bytes, event->u.notification.value, length);
    arrival->fits = fits(central, peer, arrival);
    central->misfits += !arrival->fits;
    struct ys_arrival **place = &central->arrivals[central->received++ % ARRIVALS_KEPT];
    free(*place);
    *place = arrival;
    if (central->metered != NULL && ys_peer_characteristic(peer, arrival->handle) == central->metered)
        ys_stream_meter_take(&central->stream, arrival->at_ns, length);
    list_value(central, peer, arrival);
}

void ys_central_list(struct ys_central *central, enum ys_listing listing)
{
    central->listing = listing;
}

void ys_central_list_anew(struct ys_central *central)
{
    central->listed = 0;
}

uint64_t ys_central_received(const struct ys_central *central)
{
    return central->received;
}

uint64_t ys_central_misfits(const struct ys_central *central)
{
    return central->misfits;
}

const struct ys_arrival *ys_central_arrival(const struct ys_central *central, uint64_t number)
{
    bool kept = number < central->received && central->received - number <= ARRIVALS_KEPT;
    return kept ? central->arrivals[number % ARRIVALS_KEPT] : NULL;
}

const struct ys_stream_meter *ys_central_stream(const struct ys_central *central)
{
    return &central->stream;
}
