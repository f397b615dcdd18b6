/* A central in a world: its host and the host's events. tasks.c has its tasks, whom.c its bonds, finding.c and
 * meeting.c how it connects, requests.c its requests. */
#include <stdlib.h>
#include <string.h>

#include "sim/chance.h"
#include "simulated/simulated.h"
#include "world/arrivals.h"
#include "world/central_parts.h"
#include "world/finding.h"
#include "world/link_words.h"
#include "world/meeting.h"
#include "world/peer.h"
#include "world/stranger.h"
#include "world/tasks.h"

/* Whom it remembers. */
#define BONDS_MOST 16
#define STORE_SIZE 16384

/* Keeps its address apart from all else that is drawn. */
#define CHANCE_OF_PAUSES    UINT64_C(0x700000000)
#define CHANCE_OF_ADDRESSES UINT64_C(0x500000000)

/* events */

static void link_changed(const struct ys_central *central, const struct ys_event *event)
{
    char text[160];
    central_say(central, "%s", ys_link_say(event, text, sizeof text));
}

static void take(void *context, const struct ys_event *event)
{
    struct ys_central *central = context;
    switch (event->kind) {
    case YS_EVENT_READY:
        central->ready = true;
        break;
    case YS_EVENT_REPORT:
        central_heard(central, event);
        break;
    case YS_EVENT_CONNECTED:
        central_met(central, event);
        break;
    case YS_EVENT_CONNECT_FAILED:
        central_not_met(central, event->reason);
        break;
    case YS_EVENT_DISCONNECTED:
        central_left(central, event);
        break;
    case YS_EVENT_NOTIFICATION:
        central_notified(central, event);
        break;
    case YS_EVENT_LINK_CHANGED:
    case YS_EVENT_LINK_REFUSED:
        link_changed(central, event);
        break;
    default:
        central_paired(central, event);
        break;
    }
    ys_world_stir(central->world);
}

/* making one */

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct ys_central *central = context;
    (void)host;
    if (event->kind == YS_EVENT_PASSKEY_SHOW || event->kind == YS_EVENT_NUMBER_COMPARE)
        ys_people_show(&central->person, event->u.passkey);
    ys_person_see(&central->person, event);
    take(central, event);
}

/* It pairs when it is told to. */
static void use_pairing(struct ys_central *central)
{
    central->security = (struct ys_security){
        .capability = central->traits->capability,
        .least = YS_LEVEL_ENCRYPTED,
        .key_size_min = 7,
        .key_size_max = 16,
        .bonds = BONDS_MOST,
        .forgets = true,
        .authenticates = central->traits->capability != YS_CAPABILITY_NONE,
        .waits = true,
        .passkey = YS_PASSKEY_RANDOM,
    };
    (void)ys_host_use_pairing(&central->own_host, &central->keys, &central->security);
}

static void observe(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    struct ys_central *central = context;
    ys_world_cross(central->world, central->number, central->name, direction, packet, length);
}

static bool wire_up(struct ys_central *central)
{
    const struct ys_address address = {
        .type = YS_ADDRESS_PUBLIC,
        .bytes = {(uint8_t)central->number, (uint8_t)(central->number >> 8), 0, 0xff, 0xff, 0}};
    bool has_sets = central->traits->extended; /* what a newer device says, a newer central hears */
    central->simulated = ys_simulated_new(
        central->world->radio, &(struct ys_simulated_settings){
                                   .number = central->number,
                                   .seed = central->world->seed + central->starts * UINT64_C(0x9e3779b97f4a7c15),
                                   .address = address,
                                   .character = central->hardware.character,
                                   .line_bps = central->hardware.line_bps,
                                   .thinks_us = central->hardware.thinks_us,
                                   .adapts = central->hardware.adapts,
                                   .sets = has_sets,
                                   .outside = central->hardware.outside,
                                   .store = central->store,
                                   .no_curve = central->traits->legacy,
                                   .context = central,
                                   .observe = observe,
                               });
    const struct ys_host_settings settings = {
        .port = central->simulated != NULL ? ys_simulated_port(central->simulated) : NULL,
        .table = &ys_table_bare,
        .on_event = on_event,
        .context = central,
        .address_type = YS_ADDRESS_RANDOM,
        .address = central->own_address.bytes,
        .mtu = central->traits->mtu,
    };
    if (central->simulated == NULL || ys_host_init(&central->own_host, sizeof central->own_host, &settings) != YS_OK)
        return false;
    if (has_sets)
        ys_host_use_sets(&central->own_host, &central->sets);
    use_pairing(central);
    central->link =
        (struct ys_link_wishes){.accepts = central->traits->refuses_updates ? YS_LINK_REFUSE : YS_LINK_ACCEPT};
    (void)ys_host_use_links(&central->own_host, &central->links, &central->link);
    ys_simulated_attach(central->simulated, &central->own_host, ys_host_run);
    return true;
}

static struct ys_central *new_central(struct ys_world *world, const char *name, const struct ys_traits *traits,
                                      ys_known_fn *known, void *context)
{
    struct ys_central *central = calloc(1, sizeof *central);
    if (central == NULL)
        return NULL;
    central->world = world;
    central->name = name;
    central->traits = traits;
    central->known = known;
    central->context = context;
    central->chance = ys_chance_of(world->seed, CHANCE_OF_PAUSES + world->centrals++);
    central->host = &central->own_host;
    central->person = (struct ys_person){.world = world, .host = &central->own_host, .name = name};
    return central;
}

struct ys_central *ys_central_new(struct ys_world *world, uint16_t number, const char *name,
                                  const struct ys_traits *traits, const struct ys_hardware *hardware,
                                  ys_known_fn *known, void *context)
{
    struct ys_central *central = new_central(world, name, traits, known, context);
    if (central == NULL)
        return NULL;
    central->hardware = *hardware;
    struct ys_chance chance = ys_chance_of(world->seed, CHANCE_OF_ADDRESSES + number);
    ys_chance_fill(&chance, central->own_address.bytes, sizeof central->own_address.bytes);
    central->own_address = ys_address_static(central->own_address.bytes);
    central->number = number;
    central->store = ys_store_new(STORE_SIZE);
    if (central->store != NULL && wire_up(central))
        return central;
    ys_central_free(central);
    return NULL;
}

struct ys_central *ys_central_on(struct ys_device *device, struct ys_world *world, const char *name,
                                 const struct ys_traits *traits, ys_known_fn *known, void *context)
{
    struct ys_central *central = new_central(world, name, traits, known, context);
    if (central == NULL)
        return NULL;
    central->device = device;
    central->host = ys_device_host(device);
    ys_device_drive(device, take, central);
    return central;
}

void ys_central_free(struct ys_central *central)
{
    if (central == NULL)
        return;
    ys_clock_cancel(central->world->clock, &central->tries_again);
    if (central->device != NULL)
        ys_device_drive(central->device, NULL, NULL);
    ys_person_leave(&central->person);
    ys_simulated_free(central->simulated);
    ys_store_free(central->store);
    while (central->peers != NULL) {
        struct ys_peer *peer = central->peers;
        central->peers = peer->next;
        peer_forget(peer);
        free(peer);
    }
    for (size_t i = 0; i < ARRIVALS_KEPT; i++)
        free(central->arrivals[i]);
    free(central);
}

void ys_central_start(struct ys_central *central)
{
    if (central->device != NULL || (central->simulated == NULL && !wire_up(central)))
        return;
    central->starts++;
    ys_host_start(central->host);
}

void ys_central_stop(struct ys_central *central)
{
    central->ready = false;
    for (struct ys_peer *peer = central->peers; peer != NULL; peer = peer->next)
        central_forget_connection(peer, YS_HCI_LOCAL_ENDED);
    central->finds = NULL;
    central->connects = NULL;
    ys_clock_cancel(central->world->clock, &central->tries_again);
    central->endings = NULL;
    central->pairing = NULL;
    while (central->running != NULL)
        task_end(central->running, false, "was switched off");
    if (central->device != NULL)
        return;
    ys_person_leave(&central->person);
    ys_simulated_free(central->simulated);
    central->simulated = NULL;
    central_say(central, "is switched off");
}

void ys_central_store(struct ys_central *central, bool works)
{
    ys_store_cut(central->store, works ? YS_STORE_WHOLE : 0);
}

bool ys_central_is_ready(const struct ys_central *central)
{
    return central->ready;
}

bool ys_central_wait(struct ys_central *central)
{
    return ys_world_run_until(central->world, &central->ready, 5 * YS_NS_PER_S);
}

enum ys_result ys_central_advertise(struct ys_central *central, bool on)
{
    struct ys_writer writer = ys_writer_to(central->payload, sizeof central->payload);
    const uint8_t flags = YS_AD_GENERAL | YS_AD_NO_CLASSIC;
    ys_put_ad(&writer, YS_AD_FLAGS, &flags, 1);
    ys_put_ad(&writer, YS_AD_NAME, central->name, strlen(central->name));
    central->advertising = (struct ys_advertising){.interval_min_us = 100000,
                                                   .interval_max_us = 100000,
                                                   .data = central->payload,
                                                   .data_length = (uint16_t)ys_writer_stored(&writer)};
    enum ys_result result = !ys_writer_ok(&writer)       ? YS_ERROR_ARGUMENT
                            : !ys_central_is_on(central) ? YS_ERROR_NOT_READY
                            : on                         ? ys_advertise(central->host, &central->advertising)
                                                         : ys_advertise_stop(central->host);
    if (result == YS_OK)
        central_say(central, on ? "advertises as \"%s\", every 100 ms" : "stops advertising", central->name);
    else
        central_say(central, "cannot advertise: %s", ys_result_text(result));
    return result;
}

void ys_central_pretend(struct ys_central *central, const struct ys_central *other)
{
    central->own_address = other->own_address;
    ys_simulated_free(central->simulated);
    central->simulated = NULL;
}

struct ys_person *ys_central_person(struct ys_central *central)
{
    return &central->person;
}

void ys_central_hide(struct ys_central *central)
{
    central->person.unseen = true;
}

bool ys_central_forget(struct ys_central *central, const struct ys_address *identity)
{
    uint8_t number = identity != NULL && ys_central_is_on(central) ? ys_bond_find(central->host, identity) : 0;
    return ys_central_is_on(central) && (identity == NULL || number != 0) &&
           ys_bond_forget(central->host, number) == YS_OK;
}

const char *ys_central_name(const struct ys_central *central)
{
    return central->name;
}

struct ys_peer *ys_central_found(const struct ys_central *central)
{
    return central->found;
}

struct ys_address ys_central_address(const struct ys_central *central)
{
    return ys_host_address(central->host);
}
