/* A remote device: the state machine is drawn in its header. A lost one is searched for at once; one that does not
 * answer to connecting, or is none of these devices, after a while. */
#include <yarnswift/remote.h>

#include <string.h>

#include "host/core/clock.h"
#include "host/core/context.h"

#define CONNECT_PATIENCE_MS 5000u
#define WRONG_MS            10000u
#define UUID_CONFIGURATION  0x2902
#define UUID_CHANGED        0x2a05
#define UUID_HASH           0x2b2a
#define NOBODY              0xff /* an item that is none */

enum { BUSY_NOT, BUSY_READS, BUSY_WRITES };

static bool is_at(const struct ys_remote *remote, enum ys_remote_state least)
{
    return remote->state >= least;
}

/* searching */

static enum ys_result search(struct ys_remote *remote)
{
    struct ys_scanning scanning = {.interval_us = 100000, .window_us = 50000};
    if (remote->settings->scanning != NULL)
        scanning = *remote->settings->scanning;
    if (scanning.filter == NULL) {
        scanning.filter = remote->settings->plan->filter;
        scanning.active |= scanning.filter != NULL && scanning.filter->name != NULL; /* most tell it when asked */
    }
    remote->state = YS_REMOTE_SEARCHES;
    return ys_scan(remote->host, &scanning);
}

/* It has not been found where it was heard. */
static void lose_patience(struct ys_host *host, void *context)
{
    const struct ys_remote *remote = context;
    if (remote->state == YS_REMOTE_CONNECTS)
        (void)ys_connect_cancel(host);
}

static bool heard(struct ys_remote *remote, const struct ys_event *event)
{
    struct ys_connecting connecting = {.interval_us = 50000, .supervision_timeout_ms = 2000};
    const struct ys_address *address = &event->u.report.address;
    bool wrong = ys_address_is_equal(address, &remote->wrong) &&
                 ys_until_ms(ys_now_ms(remote->host), remote->wrong_until_ms) > 0;
    if (remote->state != YS_REMOTE_SEARCHES || wrong || event->u.report.type == YS_REPORT_BEACON)
        return false;
    if (remote->settings->connecting != NULL)
        connecting = *remote->settings->connecting;
    if (connecting.phys == 0 && remote->settings->scanning != NULL) /* where it was heard */
        connecting.phys = remote->settings->scanning->phys;
    (void)ys_scan_stop(remote->host);
    if (ys_connect(remote->host, address, &connecting) != YS_OK) {
        (void)search(remote);
        return true;
    }
    remote->peer = *address;
    remote->state = YS_REMOTE_CONNECTS;
    (void)ys_work_after(&remote->patience, CONNECT_PATIENCE_MS);
    return true;
}

/* discovering */

static void give_up(struct ys_remote *remote, const char *why)
{
    ys_host_log(remote->host, why, remote->request.outcome);
    remote->wrong = remote->peer;
    remote->wrong_until_ms = ys_now_ms(remote->host) + WRONG_MS;
    (void)ys_disconnect(remote->host, remote->connection);
}

static void go_on(struct ys_remote *remote);

/* Whether the request had the expected result; otherwise the peer is given up, unless the connection has ended
 * anyway. */
static bool succeeded(struct ys_remote *remote, const char *why)
{
    if (remote->state == YS_REMOTE_IDLE) /* it was stopped meanwhile */
        return false;
    if (remote->request.outcome == YS_OUTCOME_DONE)
        return true;
    if (remote->request.outcome != YS_OUTCOME_DISCONNECTED)
        give_up(remote, why);
    return false;
}

/* The same of a request that a device may refuse. */
static bool answered(struct ys_remote *remote)
{
    return (remote->state != YS_REMOTE_IDLE && remote->request.outcome == YS_OUTCOME_REFUSED) ||
           succeeded(remote, "gives up a device that does not answer, outcome");
}

static void subscribe_next(struct ys_remote *remote);
static void read_hash(struct ys_remote *remote);

static void tell_ready(struct ys_remote *remote, bool ready)
{
    if (remote->settings->on_ready != NULL)
        remote->settings->on_ready(remote, ready);
}

static void subscribed(struct ys_client_request *request)
{
    struct ys_remote *remote = request->context;
    if (succeeded(remote, "gives up a device that refuses a subscription, outcome"))
        subscribe_next(remote);
}

static void subscribe_to(struct ys_remote *remote, const struct ys_remote_place *place)
{
    remote->request.on_done = subscribed;
    (void)ys_client_subscribe(remote->host, remote->connection, &remote->request, place->configuration,
                              (place->properties & YS_PROPERTY_NOTIFY) != 0 ? YS_SUBSCRIBE_NOTIFICATIONS
                                                                            : YS_SUBSCRIBE_INDICATIONS);
}

/* One after the other; Service Changed is the first, since nothing must be missed of it. */
static void subscribe_next(struct ys_remote *remote)
{
    const struct ys_remote_settings *settings = remote->settings;
    uint8_t next = remote->next++;
    remote->state = YS_REMOTE_SUBSCRIBES;
    if (next == 0 && remote->changed.configuration == 0)
        next = remote->next++;
    if (next == 0) {
        subscribe_to(remote, &remote->changed);
    } else if (next <= settings->subscribe_count) {
        subscribe_to(remote, &settings->places[settings->subscribe[next - 1]]);
    } else if (remote->outdated) {
        read_hash(remote);
    } else {
        remote->state = YS_REMOTE_READY;
        tell_ready(remote, true);
        go_on(remote);
    }
}

static void begin_subscribing(struct ys_remote *remote)
{
    remote->next = 0;
    subscribe_next(remote);
}

static void discovered(struct ys_client_request *request)
{
    struct ys_remote *remote = request->context;
    const struct ys_remote_settings *settings = remote->settings;
    if (!succeeded(remote, "gives up a device whose table cannot be discovered, outcome"))
        return;
    for (uint8_t i = 0; i < settings->subscribe_count; i++) {
        if (settings->places[settings->subscribe[i]].configuration == 0) {
            give_up(remote, "gives up a device that lacks what is wanted, outcome");
            return;
        }
    }
    /* only now: what was discovered in part, before a loss, is not to be trusted by its hash */
    remote->hashed = remote->has_hash && !remote->outdated;
    memcpy(remote->hash, remote->hash_read, sizeof remote->hash);
    begin_subscribing(remote);
}

/* Services come first, in whose range a characteristic is looked for; then characteristics, of which each ends where
 * the next begins; then descriptors, which belong to the characteristic within whose range they are (Vol 3 Part G 3.3).
 */
static void place_found(struct ys_remote_place *place, const struct ys_uuid *service, const struct ys_uuid *uuid,
                        const struct ys_found *found)
{
    bool here = place->value == 0 && found->handle > place->first && found->handle <= place->last;
    if (found->kind == YS_FOUND_SERVICE && place->last == 0 && ys_uuid_is_equal(&found->uuid, service)) {
        place->first = found->handle;
        place->last = found->last_handle;
    } else if (found->kind == YS_FOUND_CHARACTERISTIC && here && ys_uuid_is_equal(&found->uuid, uuid)) {
        place->value = found->value_handle;
        place->properties = found->properties;
    } else if (found->kind == YS_FOUND_CHARACTERISTIC && place->value != 0 && found->handle > place->value &&
               found->handle <= place->last) {
        place->last = (uint16_t)(found->handle - 1);
    } else if (found->kind == YS_FOUND_DESCRIPTOR && place->value != 0 && found->handle > place->value &&
               found->handle <= place->last && ys_uuid_number(&found->uuid) == UUID_CONFIGURATION) {
        place->configuration = found->handle;
    }
}

static void item_found(struct ys_client_request *request, const struct ys_found *found)
{
    struct ys_remote *remote = request->context;
    const struct ys_remote_plan *plan = remote->settings->plan;
    const struct ys_uuid attribute = ys_uuid_of(0x1801);
    const struct ys_uuid changed = ys_uuid_of(UUID_CHANGED);
    for (uint8_t i = 0; i < plan->count; i++)
        place_found(&remote->settings->places[i], &plan->items[i].service, &plan->items[i].uuid, found);
    place_found(&remote->changed, &attribute, &changed, found);
}

static void discover(struct ys_remote *remote)
{
    memset(remote->settings->places, 0, remote->settings->plan->count * sizeof remote->settings->places[0]);
    memset(&remote->changed, 0, sizeof remote->changed);
    remote->outdated = false;
    remote->request.on_done = discovered;
    remote->request.on_item = item_found;
    (void)ys_client_discover(remote->host, remote->connection, &remote->request);
}

/* Vol 3 Part G 7.3: what was found after the same hash is where it was. A device without one is discovered each time.
 */
static void hash_known(struct ys_client_request *request)
{
    struct ys_remote *remote = request->context;
    bool has = request->outcome == YS_OUTCOME_DONE && request->length == sizeof remote->hash;
    if (!answered(remote))
        return;
    bool same = has && remote->hashed && memcmp(remote->hash, remote->hash_read, sizeof remote->hash) == 0;
    remote->hashed = same;
    remote->has_hash = has;
    if (same)
        begin_subscribing(remote);
    else
        discover(remote);
}

static void read_hash(struct ys_remote *remote)
{
    const struct ys_uuid hash = ys_uuid_of(UUID_HASH);
    remote->state = YS_REMOTE_DISCOVERS;
    remote->request.on_done = hash_known;
    (void)ys_client_read_by_uuid(remote->host, remote->connection, &remote->request, &hash, 1, 0xffff,
                                 remote->hash_read, sizeof remote->hash_read);
}

static void mtu_known(struct ys_client_request *request)
{
    struct ys_remote *remote = request->context;
    if (answered(remote)) /* a server that knows no other MTU keeps that of 23 */
        read_hash(remote);
}

static bool connected(struct ys_remote *remote, const struct ys_event *event)
{
    if (event->u.connected.role != YS_ROLE_CENTRAL)
        return false;
    if (remote->cancels) { /* that was too late */
        remote->cancels = false;
        remote->connection = event->connection;
        remote->ends = ys_disconnect(remote->host, event->connection) == YS_OK;
        return true;
    }
    if (remote->state != YS_REMOTE_CONNECTS)
        return false;
    (void)ys_work_stop(&remote->patience);
    remote->connection = event->connection;
    remote->state = YS_REMOTE_DISCOVERS;
    remote->request = (struct ys_client_request){.context = remote, .on_done = mtu_known};
    (void)ys_client_exchange_mtu(remote->host, remote->connection, &remote->request);
    return true;
}

/* The table has changed: pending requests have handles that may no longer be right. */
static void start_over(struct ys_remote *remote)
{
    remote->outdated = true;
    remote->hashed = false;
    if (remote->state != YS_REMOTE_READY || remote->busy != BUSY_NOT)
        return; /* the request that is under way ends first */
    remote->waits = false;
    remote->state = YS_REMOTE_DISCOVERS; /* before the firmware is told, which may want to write */
    tell_ready(remote, false);
    if (remote->state == YS_REMOTE_DISCOVERS)
        read_hash(remote);
}

/* reading and writing */

static void tell_done(struct ys_remote *remote, uint8_t error)
{
    if (remote->settings->on_done != NULL)
        remote->settings->on_done(remote, remote->item, error);
}

static void request_done(struct ys_client_request *request)
{
    struct ys_remote *remote = request->context;
    bool read = remote->busy == BUSY_READS;
    bool came = request->outcome == YS_OUTCOME_DONE || request->outcome == YS_OUTCOME_TOO_LONG;
    remote->busy = BUSY_NOT;
    if (request->outcome == YS_OUTCOME_DISCONNECTED || remote->state != YS_REMOTE_READY)
        return;
    if (read && came && remote->settings->on_value != NULL) {
        size_t length = request->length < remote->settings->size ? request->length : remote->settings->size;
        struct ys_reader value = ys_reader_of(remote->settings->memory, length);
        remote->settings->on_value(remote, remote->item, &value);
    } else if (!read || !came) {
        tell_done(remote, came                                     ? YS_ATT_OK
                          : request->outcome == YS_OUTCOME_REFUSED ? request->error
                                                                   : YS_ATT_UNLIKELY_ERROR);
    }
    bool stale = request->outcome == YS_OUTCOME_REFUSED &&
                 (request->error == YS_ATT_DATABASE_OUT_OF_SYNC || request->error == YS_ATT_INVALID_HANDLE);
    if (stale)
        start_over(remote);
    else
        go_on(remote);
}

static void write_now(struct ys_remote *remote, uint8_t item, uint16_t length)
{
    const struct ys_remote_place *place = &remote->settings->places[item];
    remote->busy = BUSY_WRITES;
    remote->item = item;
    remote->request.on_done = request_done;
    if ((place->properties & YS_PROPERTY_WRITE) != 0)
        (void)ys_client_write(remote->host, remote->connection, &remote->request, place->value,
                              remote->settings->memory, length);
    else
        (void)ys_client_write_command(remote->host, remote->connection, &remote->request, place->value,
                                      remote->settings->memory, length);
}

/* What has waited for the end of a request. */
static void go_on(struct ys_remote *remote)
{
    if (remote->state != YS_REMOTE_READY || remote->busy != BUSY_NOT)
        return;
    if (remote->outdated) {
        start_over(remote);
        return;
    }
    if (!remote->waits)
        return;
    remote->waits = false;
    memcpy(remote->settings->memory, remote->settings->memory + remote->settings->size, remote->waiting_length);
    write_now(remote, remote->waiting, remote->waiting_length);
}

static enum ys_result check_use(const struct ys_remote *remote, uint8_t item, uint8_t properties)
{
    if (remote->state != YS_REMOTE_READY || remote->outdated)
        return YS_ERROR_NOT_READY;
    return ys_remote_has(remote, item) && (remote->settings->places[item].properties & properties) != 0
               ? YS_OK
               : YS_ERROR_ARGUMENT;
}

enum ys_result ys_remote_write(struct ys_remote *remote, uint8_t item, const void *value, uint16_t length)
{
    YS_NOT_IN_INTERRUPT(remote->host, "ys_remote_write");
    const struct ys_remote_settings *settings = remote->settings;
    enum ys_result result = check_use(remote, item, YS_PROPERTY_WRITE | YS_PROPERTY_WRITE_WITHOUT_RESPONSE);
    if (result != YS_OK)
        return result;
    if (length > settings->size || settings->size == 0)
        return YS_ERROR_ARGUMENT;
    if (remote->busy == BUSY_NOT) {
        memcpy(settings->memory, value, length);
        write_now(remote, item, length);
        return YS_OK;
    }
    if (remote->waits && remote->waiting != item)
        return YS_ERROR_BUSY;
    memcpy(settings->memory + settings->size, value, length);
    remote->waits = true;
    remote->waiting = item;
    remote->waiting_length = length;
    return YS_OK;
}

enum ys_result ys_remote_read(struct ys_remote *remote, uint8_t item)
{
    YS_NOT_IN_INTERRUPT(remote->host, "ys_remote_read");
    enum ys_result result = check_use(remote, item, YS_PROPERTY_READ);
    if (result != YS_OK)
        return result;
    if (remote->settings->size == 0)
        return YS_ERROR_ARGUMENT;
    if (remote->busy != BUSY_NOT)
        return YS_ERROR_BUSY;
    remote->busy = BUSY_READS;
    remote->item = item;
    remote->request.on_done = request_done;
    return ys_client_read(remote->host, remote->connection, &remote->request, remote->settings->places[item].value,
                          remote->settings->memory, remote->settings->size);
}

/* events */

static uint8_t item_at(const struct ys_remote *remote, uint16_t handle)
{
    uint8_t item = 0;
    while (item < remote->settings->plan->count && remote->settings->places[item].value != handle)
        item++;
    return item < remote->settings->plan->count ? item : NOBODY;
}

static bool notified(struct ys_remote *remote, const struct ys_event *event)
{
    if (!is_at(remote, YS_REMOTE_DISCOVERS) || event->connection != remote->connection)
        return false;
    if (event->u.notification.handle == remote->changed.value) {
        start_over(remote);
        return true;
    }
    uint8_t item = item_at(remote, event->u.notification.handle);
    if (item == NOBODY || !is_at(remote, YS_REMOTE_SUBSCRIBES))
        return false;
    struct ys_reader value = ys_reader_of(event->u.notification.value, event->u.notification.length);
    if (remote->settings->on_value != NULL)
        remote->settings->on_value(remote, item, &value);
    return true;
}

static bool disconnected(struct ys_remote *remote, const struct ys_event *event)
{
    if (remote->ends && event->connection == remote->connection) {
        remote->ends = false;
        return true;
    }
    if (!is_at(remote, YS_REMOTE_DISCOVERS) || event->connection != remote->connection)
        return false;
    bool was_ready = remote->state == YS_REMOTE_READY;
    remote->busy = BUSY_NOT;
    remote->waits = false;
    (void)search(remote);
    if (was_ready)
        tell_ready(remote, false);
    return true;
}

static bool not_connected(struct ys_remote *remote)
{
    bool mine = remote->cancels || remote->state == YS_REMOTE_CONNECTS;
    remote->cancels = false;
    if (remote->state == YS_REMOTE_CONNECTS) {
        (void)ys_work_stop(&remote->patience);
        (void)search(remote);
    }
    return mine;
}

bool ys_remote_event(struct ys_remote *remote, const struct ys_event *event)
{
    switch (event->kind) {
    case YS_EVENT_REPORT:
        return heard(remote, event);
    case YS_EVENT_CONNECTED:
        return connected(remote, event);
    case YS_EVENT_CONNECT_FAILED:
        return not_connected(remote);
    case YS_EVENT_READY: /* also of a host that was started anew; others want to know it, too */
        remote->cancels = false;
        if (remote->state != YS_REMOTE_IDLE)
            (void)search(remote);
        return false;
    case YS_EVENT_DISCONNECTED:
        return disconnected(remote, event);
    case YS_EVENT_NOTIFICATION:
        return notified(remote, event);
    default:
        return false;
    }
}

/* calls */

enum ys_result ys_remote_init(struct ys_host *host, struct ys_remote *remote, const struct ys_remote_settings *settings)
{
    YS_NOT_IN_INTERRUPT(host, "ys_remote_init");
    if (settings->plan == NULL || settings->places == NULL)
        return YS_ERROR_ARGUMENT;
    for (uint8_t i = 0; i < settings->subscribe_count; i++) {
        if (settings->subscribe[i] >= settings->plan->count)
            return YS_ERROR_ARGUMENT;
    }
    *remote = (struct ys_remote){.host = host, .settings = settings};
    ys_work_init(host, &remote->patience, lose_patience, remote);
    return YS_OK;
}

enum ys_result ys_remote_search(struct ys_remote *remote)
{
    YS_NOT_IN_INTERRUPT(remote->host, "ys_remote_search");
    if (remote->state != YS_REMOTE_IDLE || remote->cancels || remote->ends)
        return YS_ERROR_BUSY;
    enum ys_result result = search(remote);
    if (result == YS_ERROR_NOT_READY) /* YS_EVENT_READY will begin it */
        return YS_OK;
    if (result != YS_OK)
        remote->state = YS_REMOTE_IDLE;
    return result;
}

void ys_remote_stop(struct ys_remote *remote)
{
    uint8_t state = remote->state;
    if (YS_DEBUG && ys_in_interrupt(remote->host, "ys_remote_stop"))
        return;
    remote->state = YS_REMOTE_IDLE;
    (void)ys_work_stop(&remote->patience);
    if (state == YS_REMOTE_SEARCHES)
        (void)ys_scan_stop(remote->host);
    else if (state == YS_REMOTE_CONNECTS)
        remote->cancels = ys_connect_cancel(remote->host) == YS_OK;
    else if (state >= YS_REMOTE_DISCOVERS)
        remote->ends = ys_disconnect(remote->host, remote->connection) == YS_OK;
}

bool ys_remote_is_ready(const struct ys_remote *remote)
{
    return remote->state == YS_REMOTE_READY && !remote->outdated;
}

bool ys_remote_has(const struct ys_remote *remote, uint8_t item)
{
    return item < remote->settings->plan->count && remote->settings->places[item].value != 0;
}

uint16_t ys_remote_connection(const struct ys_remote *remote)
{
    return remote->connection;
}

void *ys_remote_context(const struct ys_remote *remote)
{
    return remote->settings->context;
}
