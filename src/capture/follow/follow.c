/* Follows what was on the air and at HCI. */
#include "capture/follow/follow.h"

#include <stdlib.h>

#include "capture/follow/auxiliary.h"
#include "machine/crc.h"

#define LINKS       256 /* at a time; the one that was silent longest gives way */
#define DEVICES     64
#define COARSEST_NS UINT64_C(1000000) /* steps of times; so it is thought to be until another is seen */
#define SEARCHES    64                /* for how connections hop, at the beginning */

struct ys_follower {
    ys_seen_fn *take;
    void *context;
    struct ys_parties *parties;
    struct ys_keys keys;
    struct ys_air_link *links;
    size_t last_link; /* where the last packet belonged */
    uint64_t link_count;
    uint64_t records;
    struct ys_auxiliaries auxiliaries;
    struct ys_recorder recorder;
    struct ys_hci_interface *interfaces[DEVICES + 1];
    uint8_t scratch[YS_LINK_PDU_MAX];
    struct ys_seen seen;
};

struct ys_follower *ys_follower_new(ys_seen_fn *take, void *context)
{
    struct ys_follower *follower = calloc(1, sizeof *follower);
    if (follower == NULL)
        return NULL;
    follower->take = take;
    follower->context = context;
    follower->recorder.step_ns = COARSEST_NS;
    follower->recorder.allowance = SEARCHES * YS_HOPPING_COST;
    follower->parties = ys_parties_new();
    follower->links = calloc(LINKS, sizeof *follower->links);
    if (follower->parties != NULL && follower->links != NULL)
        return follower;
    ys_follower_free(follower);
    return NULL;
}

void ys_follower_free(struct ys_follower *follower)
{
    if (follower == NULL)
        return;
    for (size_t i = 0; i < LINKS && follower->links != NULL; i++)
        ys_air_link_clear(&follower->links[i]);
    for (size_t i = 0; i <= DEVICES; i++)
        ys_hci_interface_free(follower->interfaces[i]);
    free(follower->links);
    ys_parties_free(follower->parties);
    free(follower);
}

struct ys_keys *ys_follower_keys(struct ys_follower *follower)
{
    return &follower->keys;
}

struct ys_parties *ys_follower_parties(struct ys_follower *follower)
{
    return follower->parties;
}

/* links */

static struct ys_air_link *find_link(struct ys_follower *follower, uint32_t access_address)
{
    if (follower->links[follower->last_link].access_address == access_address)
        return &follower->links[follower->last_link];
    for (size_t i = 0; i < LINKS; i++) {
        if (follower->links[i].access_address != access_address)
            continue;
        follower->last_link = i;
        return &follower->links[i];
    }
    return NULL;
}

/* Memory for a new one. */
static struct ys_air_link *make_room(struct ys_follower *follower)
{
    struct ys_air_link *oldest = follower->links;
    for (size_t i = 0; i < LINKS; i++) {
        struct ys_air_link *link = &follower->links[i];
        if (link->access_address == 0 || link->used < oldest->used)
            oldest = link;
        if (link->access_address == 0)
            break;
    }
    ys_air_link_clear(oldest);
    return oldest;
}

void ys_follower_links(const struct ys_follower *follower, ys_link_fn *tell, void *context)
{
    uint64_t told = 0;
    const struct ys_air_link *next;
    do {
        next = NULL;
        for (size_t i = 0; i < LINKS; i++) {
            const struct ys_air_link *link = &follower->links[i];
            if (link->access_address != 0 && link->number > told && (next == NULL || link->number < next->number))
                next = link;
        }
        if (next == NULL)
            break;
        tell(context, next);
        told = next->number;
    } while (true);
}

static void begin_link(struct ys_follower *follower, const struct ys_record *record)
{
    struct ys_seen *seen = &follower->seen;
    uint32_t access_address = seen->legacy.connect.access_address;
    struct ys_air_link *link = find_link(follower, access_address);
    if (access_address == 0 || access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS)
        return;
    if (link == NULL)
        link = make_room(follower);
    ys_air_link_clear(link);
    ys_air_link_begin(link, record, &seen->legacy);
    link->number = ++follower->link_count;
    link->used = follower->records;
    link->parties[0] = seen->from;
    link->parties[1] = seen->to;
    link->dialogue.speakers[0].party = seen->from;
    link->dialogue.speakers[1].party = seen->to;
    seen->link = link;
}

/* on the air */

static void take_legacy(struct ys_follower *follower, const struct ys_record *record)
{
    struct ys_seen *seen = &follower->seen;
    const struct ys_air_packet *air = &record->air;
    seen->kind = YS_SEEN_ADVERTISING;
    seen->good = ys_link_advertising_decode(air->pdu, air->length, &seen->legacy);
    if (!seen->good)
        return;
    uint8_t type = seen->legacy.type;
    seen->from = ys_party_of(follower->parties, &seen->legacy.sender);
    if (type == YS_LINK_ADV_DIRECT_IND || type == YS_LINK_SCAN_REQ || type == YS_LINK_CONNECT_IND)
        seen->to = ys_party_of(follower->parties, &seen->legacy.target);
    else if (seen->from != NULL && seen->from->advertised[0] == '\0')
        ys_party_advertises(seen->from, seen->legacy.data, seen->legacy.length);
    if (type == YS_LINK_CONNECT_IND)
        begin_link(follower, record);
    if (type == YS_LINK_SCAN_REQ)
        ys_auxiliaries_asked(&follower->auxiliaries, record);
}

static void take_extended(struct ys_follower *follower, const struct ys_record *record)
{
    struct ys_seen *seen = &follower->seen;
    const struct ys_air_packet *air = &record->air;
    seen->kind = YS_SEEN_EXTENDED;
    seen->good = ys_link_extended_decode(air->pdu, air->length, &seen->extended);
    if (!seen->good)
        return;
    seen->auxiliary = ys_auxiliaries_take(&follower->auxiliaries, record, &seen->extended);
    if (seen->extended.has_sender)
        seen->from = ys_party_of(follower->parties, &seen->extended.sender);
    if (seen->extended.has_target)
        seen->to = ys_party_of(follower->parties, &seen->extended.target);
    if (seen->from != NULL && seen->from->advertised[0] == '\0' && seen->extended.length > 0)
        ys_party_advertises(seen->from, seen->extended.data, seen->extended.length);
}

/* Keys that are handed over in a pairing, when it can be read. */
static void take_keys(struct ys_follower *follower, const struct ys_said *said)
{
    if (said->upper == YS_UPPER_SECURITY && said->verdict == YS_SMP_GOOD &&
        said->smp.code == YS_SMP_ENCRYPTION_INFORMATION)
        ys_keys_add(&follower->keys, said->smp.value);
}

/* The initial CRC value of a connection that was joined is the one that fits consecutive packets. */
static void learn_crc(struct ys_air_link *link, const struct ys_record *record)
{
    uint32_t init = ys_link_crc_init(record->air.crc, record->air.pdu, record->air.length);
    link->crc_fits = init == link->crc_init ? link->crc_fits + 1 : 1;
    link->crc_init = init;
}

/* Whether a packet's CRC is good, as far as can be known, even if the file says so. `link` is NULL for advertising. */
static bool check_crc(struct ys_follower *follower, const struct ys_record *record, struct ys_air_link *link)
{
    const struct ys_air_packet *air = &record->air;
    uint32_t init = link != NULL ? link->crc_init : YS_LINK_ADVERTISING_CRC_INIT;
    if ((record->known & YS_AIR_PLAIN) != 0) /* it is another packet now */
        return true;
    if (link != NULL && !link->begun && link->crc_fits < YS_CRC_LEARNT) {
        learn_crc(link, record);
        return true;
    }
    if (ys_machine_crc(init, air->pdu, air->length) == air->crc) {
        follower->recorder.writes_crcs = true;
        if (link != NULL)
            link->crc_fits++;
        return true;
    }
    bool said = (record->known & YS_AIR_CRC) != 0;
    follower->seen.crc_called_good = said && follower->recorder.writes_crcs;
    return said && !follower->recorder.writes_crcs;
}

static void take_link(struct ys_follower *follower, const struct ys_record *record)
{
    struct ys_seen *seen = &follower->seen;
    struct ys_air_link *link = find_link(follower, record->air.access_address);
    if (link == NULL) {
        link = make_room(follower);
        ys_air_link_join(link, record);
        link->number = ++follower->link_count;
    }
    if (!check_crc(follower, record, link)) {
        seen->crc_wrong = true;
        seen->link = link;
        follower->recorder.lossy = true;
        return;
    }
    seen->kind = YS_SEEN_LINK;
    seen->link = link;
    link->used = follower->records;
    ys_air_link_take(link, record, &follower->keys, follower->scratch, &seen->packet, &follower->recorder);
    seen->good = seen->packet.good;
    seen->from = link->parties[seen->packet.side];
    seen->to = link->parties[!seen->packet.side];
    seen->said = &seen->packet.said;
    take_keys(follower, seen->said);
}

static void take_air(struct ys_follower *follower, const struct ys_record *record)
{
    struct ys_seen *seen = &follower->seen;
    const struct ys_air_packet *air = &record->air;
    seen->crc_wrong = (record->known & YS_AIR_CRC) != 0 && !air->crc_good;
    bool no_address = air->access_address == 0; /* which nothing can have, and free links are marked by */
    if (seen->crc_wrong || (record->known & YS_AIR_CUT) != 0 || air->length < 2 || no_address) {
        if (!no_address && air->access_address != YS_LINK_ADVERTISING_ACCESS_ADDRESS)
            seen->link = find_link(follower, air->access_address);
        follower->recorder.lossy = follower->recorder.lossy || seen->link != NULL;
        return;
    }
    if (air->access_address != YS_LINK_ADVERTISING_ACCESS_ADDRESS)
        take_link(follower, record);
    else if (!check_crc(follower, record, NULL))
        seen->crc_wrong = true;
    else if ((air->pdu[0] & 0x0f) >= YS_LINK_ADV_EXTENDED)
        take_extended(follower, record);
    else
        take_legacy(follower, record);
}

/* at HCI */

static void take_border(struct ys_follower *follower, const struct ys_record *record)
{
    struct ys_seen *seen = &follower->seen;
    size_t index = record->device > 0 && record->device < DEVICES ? record->device : DEVICES;
    struct ys_hci_interface *interface = follower->interfaces[index];
    if (interface == NULL) {
        interface = ys_hci_interface_new(record->device, record->name);
        follower->interfaces[index] = interface;
    }
    if (interface == NULL || record->length < 2)
        return;
    seen->kind = YS_SEEN_HCI;
    seen->interface = interface;
    ys_hci_interface_take(interface, record, follower->parties, &follower->keys, &seen->crossed);
    seen->good = seen->crossed.good;
    if (seen->crossed.link == NULL)
        return;
    seen->said = &seen->crossed.said;
    seen->from = record->to_host ? seen->crossed.link->peer : interface->own;
    seen->to = record->to_host ? interface->own : seen->crossed.link->peer;
    take_keys(follower, seen->said);
}

/* The resolution of times; with several recorders, the possible difference of their clocks. */
static void note_clock(struct ys_recorder *recorder, const struct ys_record *record)
{
    if (record->kind == YS_RECORD_AIR && recorder->device != record->device + 1u) {
        recorder->several = recorder->device != 0;
        recorder->device = record->device + 1u;
    }
    if (recorder->several)
        recorder->step_ns = COARSEST_NS;
    while (!recorder->several && record->at_ns % recorder->step_ns != 0)
        recorder->step_ns /= 1000;
}

/* Packets are missing before this record. */
static void lose(struct ys_follower *follower)
{
    follower->recorder.lossy = true;
    for (size_t i = 0; i <= DEVICES; i++) {
        if (follower->interfaces[i] != NULL)
            ys_hci_interface_hole(follower->interfaces[i]);
    }
}

void ys_follower_take(void *context, const struct ys_record *record)
{
    struct ys_follower *follower = context;
    struct ys_seen *seen = &follower->seen;
    seen->record = record;
    seen->kind = YS_SEEN_NOTHING;
    seen->good = false;
    seen->crc_wrong = false;
    seen->crc_called_good = false;
    seen->auxiliary = YS_AUXILIARY_NOT;
    seen->from = NULL;
    seen->to = NULL;
    seen->link = NULL;
    seen->interface = NULL;
    seen->said = NULL;
    note_clock(&follower->recorder, record);
    seen->step_ns = follower->recorder.step_ns;
    if (record->lost)
        lose(follower);
    follower->records++;
    if (follower->recorder.allowance < UINT32_MAX)
        follower->recorder.allowance++;
    if (record->kind == YS_RECORD_AIR)
        take_air(follower, record);
    else
        take_border(follower, record);
    follower->take(follower->context, seen);
}
