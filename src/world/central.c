/* A central in a world: its host, whom it hears, whom it is connected with. */
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "sim/chance.h"
#include "simulated/simulated.h"
#include "world/central_parts.h"
#include "world/link_words.h"

/* Whom it remembers. */
#define BONDS_MOST 16
#define STORE_SIZE 16384

/* Keeps its address apart from all else that is drawn. */
#define CHANCE_OF_ADDRESSES UINT64_C(0x500000000)

void central_say(const struct ys_central *central, const char *format, ...)
{
    char text[480];
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    ys_world_say(central->world, central->device != NULL ? YS_SIDE_DEVICE : YS_SIDE_CENTRAL, central->name, "%s", text);
}

struct ys_simulated *central_port(const struct ys_central *central)
{
    return central->device != NULL ? ys_device_simulated(central->device) : central->simulated;
}

static bool is_on(const struct ys_central *central)
{
    return central_port(central) != NULL;
}

/* tasks */

void task_add(struct ys_task **list, struct ys_task *task)
{
    while (*list != NULL)
        list = &(*list)->next;
    task->next = NULL;
    *list = task;
}

void task_remove(struct ys_task **list, struct ys_task *task)
{
    while (*list != NULL && *list != task)
        list = &(*list)->next;
    if (*list != NULL)
        *list = task->next;
}

static void time_is_over(void *context)
{
    struct ys_task *task = context;
    task->give_up(task);
}

void task_begin(struct ys_task *task, struct ys_central *central, struct ys_peer *peer, const char *what,
                uint64_t at_most_ns)
{
    *task = (struct ys_task){
        .central = central,
        .peer = peer,
        .what = what,
        .began_ns = ys_world_now_ns(central->world),
        .patience_ns = at_most_ns > 0 ? at_most_ns : central->traits->patience_us * YS_NS_PER_US,
        .timer = {.fire = time_is_over, .context = task},
    };
    task->next_running = central->running;
    central->running = task;
    ys_clock_set(central->world->clock, &task->timer, task->began_ns + task->patience_ns);
}

void task_end(struct ys_task *task, bool good, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(task->came, sizeof task->came, format, arguments);
    va_end(arguments);
    memcpy(task->brief, task->came, sizeof task->brief);
    task->done = true;
    task->good = good;
    struct ys_task **place = &task->central->running;
    while (*place != NULL && *place != task)
        place = &(*place)->next_running;
    if (*place != NULL)
        *place = task->next_running;
    ys_clock_cancel(task->central->world->clock, &task->timer);
    central_say(task->central, "%s", task->came);
    ys_world_stir(task->central->world);
}

bool ys_task_wait(struct ys_task *task)
{
    struct ys_world *world = task->central->world;
    return ys_world_run_until(world, &task->done, 2 * task->patience_ns + YS_NS_PER_S) && task->good;
}

static double passed_ms(const struct ys_task *task)
{
    return (double)(ys_world_now_ns(task->central->world) - task->began_ns) / (double)YS_NS_PER_MS;
}

/* peers */

static struct ys_peer *find_peer(const struct ys_central *central, const struct ys_address *address)
{
    struct ys_peer *peer = central->peers;
    while (peer != NULL && !ys_address_is_equal(&peer->address, address))
        peer = peer->next;
    return peer;
}

struct ys_peer *ys_central_peer(struct ys_central *central, const struct ys_address *address)
{
    struct ys_peer *peer = find_peer(central, address);
    if (peer != NULL)
        return peer;
    peer = calloc(1, sizeof *peer);
    if (peer == NULL)
        return NULL;
    peer->central = central;
    peer->address = *address;
    (void)ys_address_format(address, peer->address_text);
    peer->name = peer->address_text;
    peer->defined = central->known(central->context, address, &peer->name);
    peer->design = central->traits->knows ? peer->defined : NULL;
    peer->cache = (struct ys_client_cache){.items = peer->items, .capacity = FOUND_MOST};
    peer->next = central->peers;
    central->peers = peer;
    return peer;
}

struct ys_peer *ys_central_peer_named(const struct ys_central *central, const char *name)
{
    struct ys_peer *found = NULL;
    for (struct ys_peer *peer = central->peers; peer != NULL; peer = peer->next) { /* the newest first */
        if (peer->name != name)
            continue;
        if (peer->connected)
            return peer;
        if (found == NULL || (found->connections == 0 && peer->connections > 0))
            found = peer;
    }
    return found;
}

struct ys_peer *central_peer_of(const struct ys_central *central, uint16_t connection)
{
    struct ys_peer *peer = central->peers;
    while (peer != NULL && (!peer->connected || peer->connection != connection))
        peer = peer->next;
    return peer;
}

struct ys_peer *ys_central_connected(const struct ys_central *central, size_t *count)
{
    struct ys_peer *found = NULL;
    *count = 0;
    for (struct ys_peer *peer = central->peers; peer != NULL; peer = peer->next) {
        if (!peer->connected)
            continue;
        found = peer;
        ++*count;
    }
    return found;
}

/* finding */

static uint8_t phys_of(const struct ys_central *central)
{
    return central->traits->coded ? YS_ON_1M | YS_ON_CODED : YS_ON_1M;
}

/* What the advertisement promises, by the names of the definition. */
static void list_promises(const struct ys_design *design, const struct ys_event *event, char *text, size_t size)
{
    size_t used = 0;
    text[0] = '\0';
    for (size_t i = 0; design != NULL && i < design->service_count && used < size; i++) {
        const struct ys_service *service = &design->services[i];
        if (ys_ad_has_service(event->u.report.data, event->u.report.length, &service->uuid))
            used += (size_t)snprintf(text + used, size - used, "%s%s", used > 0 ? ", " : ", promises ", service->name);
    }
}

/* Lists whom it hears: each once in a search, or where all is listed once a second. */
static void list_heard(struct ys_central *central, const struct ys_event *event)
{
    char address[YS_ADDRESS_TEXT_SIZE];
    char promises[160];
    const char *name = NULL;
    if (event->u.report.type == YS_REPORT_RESPONSE || central->heard_count == HEARD_MOST)
        return;
    size_t i = 0;
    uint64_t now_ns = ys_world_now_ns(central->world);
    while (i < central->heard_count && !ys_address_is_equal(&central->heard[i].address, &event->u.report.address))
        i++;
    if (i < central->heard_count && (central->listing != YS_LIST_ALL || now_ns - central->heard[i].at_ns < YS_NS_PER_S))
        return;
    central->heard[i].address = event->u.report.address;
    central->heard[i].at_ns = now_ns;
    central->heard_count += i == central->heard_count;
    const struct ys_design *design = central->known(central->context, &event->u.report.address, &name);
    list_promises(central->traits->knows ? design : NULL, event, promises, sizeof promises);
    central_say(central, "hears %s (%s), %s, %d dBm%s", ys_address_format(&event->u.report.address, address),
                ys_address_kind(&event->u.report.address),
                event->u.report.type == YS_REPORT_CONNECTABLE ? "connectable" : "not connectable",
                event->u.report.rssi_dbm, promises);
}

/* It only listens. */
static bool wants_nobody(const struct ys_wanted *wanted)
{
    return wanted->name == NULL && wanted->address == NULL && wanted->service == NULL;
}

static bool is_wanted(const struct ys_wanted *wanted, const struct ys_event *event)
{
    const uint8_t *data = event->u.report.data;
    uint16_t length = event->u.report.length;
    struct ys_ad ad;
    if (wanted->address != NULL && !ys_address_is_equal(wanted->address, &event->u.report.address))
        return false;
    if (wanted->service != NULL && !ys_ad_has_service(data, length, wanted->service))
        return false;
    if (wanted->name == NULL)
        return wanted->address != NULL || wanted->service != NULL;
    return ys_ad_find(data, length, YS_AD_NAME, &ad) && ad.length == strlen(wanted->name) &&
           memcmp(ad.data, wanted->name, ad.length) == 0;
}

static void end_find(struct ys_task *task)
{
    struct ys_central *central = task->central;
    task_remove(&central->finds, task);
    if (central->finds == NULL)
        (void)ys_scan_stop(central->host);
}

static void heard(struct ys_central *central, const struct ys_event *event)
{
    if (central->finds != NULL)
        list_heard(central, event);
    for (struct ys_task *task = central->finds, *next; task != NULL; task = next) {
        next = task->next;
        if (!is_wanted(task->wanted, event))
            continue;
        if (task->wanted->name != NULL)
            central_say(central, "hears its name: \"%s\"", task->wanted->name);
        task->peer = ys_central_peer(central, &event->u.report.address);
        central->found = task->peer;
        end_find(task);
        task_end(task, task->peer != NULL, "has found it after %.1f ms", passed_ms(task));
    }
}

static void give_up_finding(struct ys_task *task)
{
    double seconds = (double)task->patience_ns / (double)YS_NS_PER_S;
    end_find(task);
    if (wants_nobody(task->wanted))
        task_end(task, true, "has listened for %g s", seconds);
    else
        task_end(task, false, "has not found it within %g s", seconds);
}

static void say_wanted(const struct ys_task *task)
{
    const struct ys_wanted *wanted = task->wanted;
    char text[YS_UUID_TEXT_SIZE + YS_ADDRESS_TEXT_SIZE];
    if (wants_nobody(wanted))
        central_say(task->central, "scans: 30 ms of every 60 ms, actively");
    else if (wanted->name != NULL)
        central_say(task->central, "scans for \"%s\": 30 ms of every 60 ms, actively", wanted->name);
    else if (wanted->service != NULL)
        central_say(task->central, "scans for the service %s: 30 ms of every 60 ms, actively",
                    ys_uuid_format(wanted->service, text));
    else
        central_say(task->central, "scans for %s: 30 ms of every 60 ms, actively",
                    ys_address_format(wanted->address, text));
}

void ys_begin_find(struct ys_task *task, struct ys_central *central, const struct ys_wanted *wanted,
                   uint64_t at_most_ns)
{
    const struct ys_scanning scanning = {
        .interval_us = 60000, .window_us = 30000, .active = true, .phys = phys_of(central)};
    task_begin(task, central, NULL, "find it", at_most_ns);
    task->wanted = wanted;
    task->give_up = give_up_finding;
    enum ys_result result = is_on(central) ? YS_OK : YS_ERROR_NOT_READY;
    if (result == YS_OK && central->finds == NULL) {
        central->heard_count = 0;
        result = ys_scan(central->host, &scanning);
    }
    if (result != YS_OK) {
        task_end(task, false, "cannot scan: %s", ys_result_text(result));
        return;
    }
    task_add(&central->finds, task);
    say_wanted(task);
}

/* connecting */

static void begin_next_connect(struct ys_central *central)
{
    struct ys_task *task = central->connects;
    if (task == NULL)
        return;
    const struct ys_connecting connecting = {
        .interval_us = central->traits->interval_us,
        .latency = central->traits->latency,
        .supervision_timeout_ms = central->traits->supervision_timeout_ms,
        .phys = phys_of(central),
    };
    enum ys_result result = ys_connect(central->host, &task->peer->address, &connecting);
    if (result == YS_OK || result == YS_ERROR_BUSY) /* one that was given up is not over yet */
        return;
    task_remove(&central->connects, task);
    task_end(task, false, "cannot connect: %s", ys_result_text(result));
    begin_next_connect(central);
}

static void end_connect(struct ys_task *task)
{
    struct ys_central *central = task->central;
    task_remove(&central->connects, task);
}

static void give_up_connecting(struct ys_task *task)
{
    bool first = task->central->connects == task;
    if (task->peer->connected) { /* it waits for its MTU, and whoever has failed to connect is not connected */
        (void)ys_disconnect(task->central->host, task->peer->connection);
        task_end(task, false, "could not agree on an MTU within %g s", (double)task->patience_ns / (double)YS_NS_PER_S);
        return;
    }
    end_connect(task);
    task_end(task, false, "could not connect within %g s", (double)task->patience_ns / (double)YS_NS_PER_S);
    if (first)
        (void)ys_connect_cancel(task->central->host); /* what follows begins the next */
}

void ys_begin_connect(struct ys_task *task, struct ys_peer *peer, uint64_t at_most_ns)
{
    struct ys_central *central = peer->central;
    task_begin(task, central, peer, "connect", at_most_ns);
    task->connects = true;
    task->give_up = give_up_connecting;
    if (peer->connected) {
        task_end(task, false, "cannot connect: it is connected with it already");
    } else if (!is_on(central)) {
        task_end(task, false, "cannot connect: %s", ys_result_text(YS_ERROR_NOT_READY));
    } else {
        task_add(&central->connects, task);
        if (central->connects == task)
            begin_next_connect(central);
    }
}

static void mtu_agreed(struct ys_task *task)
{
    task_end(task, true, "has agreed on an MTU of %u bytes: %u of value in one notification", task->request.length,
             task->request.length - 3);
    (void)snprintf(task->brief, sizeof task->brief, "has connected, every %g ms, with an MTU of %u",
                   task->central->traits->interval_us / 1000.0, task->request.length);
}

static void connected(struct ys_central *central, const struct ys_event *event)
{
    struct ys_task *task = central->connects;
    bool as_central = event->u.connected.role == YS_ROLE_CENTRAL;
    struct ys_peer *peer = ys_central_peer(central, &event->u.connected.peer);
    if (peer == NULL)
        return;
    if (as_central && (task == NULL || task->peer != peer)) { /* it was given up a moment ago */
        (void)ys_disconnect(central->host, event->connection);
        begin_next_connect(central);
        return;
    }
    peer->connected = true;
    peer->connection = event->connection;
    peer->connections++;
    for (size_t i = 0; i < peer->subscribed_count; i++)
        peer->subscribed[i].again = true;
    if (!as_central) {
        central_say(central, "is connected to by %s, every %g ms", peer->name, event->u.connected.interval_us / 1000.0);
        return;
    }
    end_connect(task);
    if (!central->traits->asks_mtu) {
        task_end(task, true, "has connected, every %g ms", event->u.connected.interval_us / 1000.0);
    } else {
        central_say(central, "has connected, every %g ms", event->u.connected.interval_us / 1000.0);
        task->what = "agree on an MTU";
        task_begun(task, ys_client_exchange_mtu(central->host, event->connection, task_request(task, mtu_agreed)));
    }
    begin_next_connect(central);
}

static void connect_failed(struct ys_central *central, uint8_t reason)
{
    struct ys_task *task = central->connects;
    bool waits = task != NULL && (reason != YS_HCI_UNKNOWN_CONNECTION); /* else it has given up already */
    if (waits) {
        end_connect(task);
        task_end(task, false, "failed to connect: %s (0x%02X)", ys_hci_error_text(reason), reason);
    }
    begin_next_connect(central);
}

static void forget_connection(struct ys_peer *peer, uint8_t reason)
{
    peer->connected = false;
    peer->reason = reason;
    if (peer->central->traits->remembering == YS_FORGETS)
        peer_forget(peer);
}

/* Two that answer the same advertisement are both sure that they are connected, and one is not: within six intervals it
 * knows better (Core 5.4 Vol 6 Part B 4.5), and tries again. */
static void connect_again(struct ys_central *central, const struct ys_peer *peer, uint8_t reason)
{
    struct ys_task *task = central->running;
    while (task != NULL && (!task->connects || task->peer != peer))
        task = task->next_running;
    if (task == NULL)
        return;
    if (reason != YS_HCI_NOT_ESTABLISHED) {
        task_end(task, false, "failed to connect: %s (0x%02X)", ys_hci_error_text(reason), reason);
        return;
    }
    central_say(central, "was not heard, and connects again");
    task_add(&central->connects, task);
    if (central->connects == task)
        begin_next_connect(central);
}

static void disconnected(struct ys_central *central, const struct ys_event *event)
{
    struct ys_peer *peer = central_peer_of(central, event->connection);
    if (peer == NULL)
        return;
    bool awaited = false;
    forget_connection(peer, event->reason);
    if (central->pairing != NULL && central->pairing->peer == peer) {
        struct ys_task *pairing = central->pairing;
        central->pairing = NULL;
        task_end(pairing, false, "has not paired: the connection ended, %s (0x%02X)", ys_hci_error_text(event->reason),
                 event->reason);
    }
    connect_again(central, peer, event->reason);
    for (struct ys_task *task = central->endings, *next; task != NULL; task = next) {
        next = task->next;
        if (task->peer != peer)
            continue;
        task_remove(&central->endings, task);
        task_end(task, true, "has disconnected");
        awaited = true;
    }
    if (!awaited)
        central_say(central, "is disconnected%s%s: %s (0x%02X)", peer->name != peer->address_text ? " from " : "",
                    peer->name != peer->address_text ? peer->name : "", ys_hci_error_text(event->reason),
                    event->reason);
}

static void give_up_ending(struct ys_task *task)
{
    task_remove(&task->central->endings, task);
    task_end(task, false, "could not disconnect within %g s", (double)task->patience_ns / (double)YS_NS_PER_S);
}

void ys_begin_disconnect(struct ys_task *task, struct ys_peer *peer)
{
    task_begin(task, peer->central, peer, "disconnect", 0);
    task->give_up = give_up_ending;
    if (!peer->connected || ys_disconnect(peer->central->host, peer->connection) != YS_OK) {
        task_end(task, false, "cannot disconnect: there is no connection");
        return;
    }
    task_add(&peer->central->endings, task);
}

/* events */

static void link_changed(const struct ys_central *central, const struct ys_event *event)
{
    char text[160];
    central_say(central, "%s", ys_link_say(event, text, sizeof text));
}

void ys_central_take(struct ys_central *central, const struct ys_event *event)
{
    switch (event->kind) {
    case YS_EVENT_READY:
        central->ready = true;
        break;
    case YS_EVENT_REPORT:
        heard(central, event);
        break;
    case YS_EVENT_CONNECTED:
        connected(central, event);
        break;
    case YS_EVENT_CONNECT_FAILED:
        connect_failed(central, event->reason);
        break;
    case YS_EVENT_DISCONNECTED:
        disconnected(central, event);
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
    ys_central_take(central, event);
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
                                   .sets = has_sets,
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
    central->host = &central->own_host;
    central->person = (struct ys_person){.world = world, .host = &central->own_host, .name = name};
    return central;
}

struct ys_central *ys_central_new(struct ys_world *world, uint16_t number, const char *name,
                                  const struct ys_traits *traits, ys_known_fn *known, void *context)
{
    struct ys_central *central = new_central(world, name, traits, known, context);
    if (central == NULL)
        return NULL;
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
    ys_device_drive(device, central);
    return central;
}

void ys_central_free(struct ys_central *central)
{
    if (central == NULL)
        return;
    if (central->device != NULL)
        ys_device_drive(central->device, NULL);
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
        forget_connection(peer, YS_HCI_LOCAL_ENDED);
    central->finds = NULL;
    central->connects = NULL;
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

bool ys_central_is_on(const struct ys_central *central)
{
    return is_on(central);
}

bool ys_central_is_ready(const struct ys_central *central)
{
    return central->ready;
}

bool ys_central_wait(struct ys_central *central)
{
    return ys_world_run_until(central->world, &central->ready, 5 * YS_NS_PER_S);
}

bool ys_central_advertise(struct ys_central *central, bool on)
{
    struct ys_writer writer = ys_writer_to(central->payload, sizeof central->payload);
    const uint8_t flags = YS_AD_GENERAL | YS_AD_NO_CLASSIC;
    ys_put_ad(&writer, YS_AD_FLAGS, &flags, 1);
    ys_put_ad(&writer, YS_AD_NAME, central->name, strlen(central->name));
    central->advertising = (struct ys_advertising){.interval_min_us = 100000,
                                                   .interval_max_us = 100000,
                                                   .data = central->payload,
                                                   .data_length = (uint16_t)ys_writer_stored(&writer)};
    enum ys_result result = !ys_writer_ok(&writer) ? YS_ERROR_ARGUMENT
                            : on                   ? ys_advertise(central->host, &central->advertising)
                                                   : ys_advertise_stop(central->host);
    if (result == YS_OK)
        central_say(central, on ? "advertises as \"%s\", every 100 ms" : "advertises no more", central->name);
    else
        central_say(central, "cannot advertise: %s", ys_result_text(result));
    return result == YS_OK;
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
    uint8_t number = identity != NULL ? ys_bond_find(central->host, identity) : 0;
    return (identity == NULL || number != 0) && ys_bond_forget(central->host, number) == YS_OK;
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
