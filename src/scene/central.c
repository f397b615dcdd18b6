/* A central in a world. */
#include "scene/central.h"

#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/advertisement.h>
#include <yarnswift/sets.h>

#include "design/payload.h"
#include "design/value.h"
#include "simulated/simulated.h"
#include "wire/hex.h"

#define PATIENCE_NS (5 * YS_NS_PER_S)
#define FOUND_MOST  256
#define VALUE_MOST  512
#define LIST_FIRST  5  /* values of a stream that are listed one by one; */
#define LIST_EVERY  10 /* of the rest, each tenth */

/* Something discovered, with what the definition knows of it. */
struct discovered {
    struct ys_found found;
    uint16_t configuration; /* characteristic: handle of its client configuration, or 0 */
};

struct ys_central {
    struct ys_host host; /* first, so that an event's host is the central */
    struct ys_sets sets; /* used if the definition needs them */
    struct ys_world *world;
    const char *name;
    const struct ys_design *design;
    struct ys_simulated *simulated;
    const char *wanted;
    struct ys_address target;
    bool ready;
    bool found;
    bool connected;
    bool disconnected;
    bool connect_failed;
    bool done;
    bool settled; /* connected, or failed to */
    uint16_t connection;
    uint8_t reason;
    struct ys_client_request request;
    struct discovered tree[FOUND_MOST];
    size_t tree_count;
    uint8_t value[VALUE_MOST];
    struct ys_stream_meter stream;
    const struct ys_characteristic *metered; /* the first that was subscribed to */
    uint64_t received;
    uint64_t listed; /* notifications since the last look */
};

#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
static void
say(const struct ys_central *central, const char *format, ...)
{
    char text[480];
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    ys_world_say(central->world, YS_SIDE_CENTRAL, central->name, "%s", text);
}

/* A UUID may come more than once, as that of a battery level does where there are two batteries. What is discovered and
 * what is defined come in the same order, so the first of one is the first of the other, and so on. */
static size_t count_before(const struct ys_central *central, const struct discovered *one)
{
    size_t count = 0;
    for (const struct discovered *other = central->tree; other < one; other++)
        count += other->found.kind == YS_FOUND_CHARACTERISTIC && ys_uuid_is_equal(&other->found.uuid, &one->found.uuid);
    return count;
}

static const struct ys_characteristic *definition_of(const struct ys_central *central, const struct discovered *one)
{
    size_t left = count_before(central, one);
    for (size_t i = 0; i < central->design->service_count; i++) {
        for (size_t j = 0; j < central->design->services[i].characteristic_count; j++) {
            const struct ys_characteristic *characteristic = &central->design->services[i].characteristics[j];
            if (ys_uuid_is_equal(&characteristic->uuid, &one->found.uuid) && left-- == 0)
                return characteristic;
        }
    }
    return NULL;
}

static const struct ys_characteristic *characteristic_at(const struct ys_central *central, uint16_t value_handle)
{
    for (size_t i = 0; i < central->tree_count; i++) {
        const struct discovered *one = &central->tree[i];
        if (one->found.kind == YS_FOUND_CHARACTERISTIC && one->found.value_handle == value_handle)
            return definition_of(central, one);
    }
    return NULL;
}

/* events */

/* What the advertisement promises, by the names of the definition. */
static void list_promises(const struct ys_central *central, const uint8_t *data, size_t length, char *text, size_t size)
{
    size_t used = 0;
    text[0] = '\0';
    for (size_t i = 0; i < central->design->service_count && used < size; i++) {
        const struct ys_service *service = &central->design->services[i];
        if (ys_ad_has_service(data, length, &service->uuid))
            used += (size_t)snprintf(text + used, size - used, "%s%s", used > 0 ? ", " : ", promises ", service->name);
    }
}

static void say_heard(const struct ys_central *central, const struct ys_event *event)
{
    char address[YS_ADDRESS_TEXT_SIZE];
    char promises[160];
    list_promises(central, event->u.report.data, event->u.report.length, promises, sizeof promises);
    say(central, "hears %s (%s), %s, %d dBm%s", ys_address_format(&event->u.report.address, address),
        ys_address_kind(&event->u.report.address), event->u.report.type == 0 ? "connectable" : "not connectable",
        event->u.report.rssi_dbm, promises);
}

static void heard(struct ys_central *central, const struct ys_event *event)
{
    struct ys_ad ad;
    if (central->found || central->wanted == NULL)
        return;
    if (event->u.report.type != 4 && !ys_address_is_equal(&central->target, &event->u.report.address)) {
        central->target = event->u.report.address; /* listed once */
        say_heard(central, event);
    }
    if (ys_ad_find(event->u.report.data, event->u.report.length, YS_AD_NAME, &ad) &&
        ad.length == strlen(central->wanted) && memcmp(ad.data, central->wanted, ad.length) == 0) {
        central->found = true;
        central->target = event->u.report.address;
        say(central, "hears its name: \"%.*s\"", ad.length, (const char *)ad.data);
    }
}

static void notified(struct ys_central *central, const struct ys_event *event)
{
    const struct ys_characteristic *characteristic = characteristic_at(central, event->u.notification.handle);
    char text[96];
    char raw[64];
    bool indicated = event->u.notification.kind == YS_BY_INDICATION;
    central->received++;
    if (characteristic != NULL && characteristic == central->metered)
        ys_stream_meter_take(&central->stream, ys_world_now_ns(central->world), event->u.notification.length);
    central->listed += !indicated;
    bool listed = indicated || central->listed <= LIST_FIRST || central->listed % LIST_EVERY == 0;
    if (characteristic == NULL || !listed)
        return;
    ys_value_format(&characteristic->type, event->u.notification.value, event->u.notification.length, text,
                    sizeof text);
    (void)ys_hex_format(event->u.notification.value, event->u.notification.length, " ", raw, sizeof raw);
    if (strcmp(text, raw) == 0) /* bytes are their own words */
        raw[0] = '\0';
    say(central, "is %s: %s %-*s%s%s%s%s", indicated ? "indicated" : "notified", characteristic->name,
        raw[0] != '\0' ? 9 : 0, text, raw[0] != '\0' ? " [" : "", raw, raw[0] != '\0' ? "]" : "",
        !indicated && central->listed == LIST_FIRST ? "  (from here on every tenth is shown)" : "");
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct ys_central *central = (struct ys_central *)host;
    (void)context;
    switch (event->kind) {
    case YS_EVENT_READY:
        central->ready = true;
        break;
    case YS_EVENT_REPORT:
        heard(central, event);
        break;
    case YS_EVENT_CONNECTED:
        central->connected = true;
        central->settled = true;
        central->connection = event->connection;
        break;
    case YS_EVENT_CONNECT_FAILED:
        central->connect_failed = true;
        central->settled = true;
        central->reason = event->reason;
        break;
    case YS_EVENT_DISCONNECTED:
        central->connected = false;
        central->disconnected = true;
        central->reason = event->reason;
        break;
    case YS_EVENT_NOTIFICATION:
        notified(central, event);
        break;
    default:
        break;
    }
}

/* requests */

static void on_done(struct ys_client_request *request)
{
    struct ys_central *central = request->context;
    central->done = true;
}

static void on_item(struct ys_client_request *request, const struct ys_found *found)
{
    struct ys_central *central = request->context;
    if (central->tree_count < FOUND_MOST)
        central->tree[central->tree_count++] = (struct discovered){.found = *found};
}

/* Waits for a request that was begun with this result. Says what went wrong. */
static bool wait(struct ys_central *central, enum ys_result result, const char *what)
{
    static const char *const outcomes[] = {
        [YS_OUTCOME_MALFORMED] = "the answer did not fit the question",
        [YS_OUTCOME_TOO_LONG] = "the value is too long",
        [YS_OUTCOME_TIMEOUT] = "no answer came",
        [YS_OUTCOME_DISCONNECTED] = "the connection ended first",
    };
    if (result != YS_OK) {
        say(central, "cannot %s: %s", what, ys_result_text(result));
        return false;
    }
    if (!ys_world_run_until(central->world, &central->done, 31 * YS_NS_PER_S)) {
        say(central, "cannot %s: nothing came back", what);
        return false;
    }
    if (central->request.outcome == YS_OUTCOME_REFUSED)
        say(central, "is refused to %s: %s (0x%02X)", what, ys_att_error_text(central->request.error),
            central->request.error);
    else if (central->request.outcome != YS_OUTCOME_DONE)
        say(central, "failed to %s: %s", what, outcomes[central->request.outcome]);
    return central->request.outcome == YS_OUTCOME_DONE;
}

static struct ys_client_request *prepare(struct ys_central *central)
{
    central->done = false;
    central->request = (struct ys_client_request){.context = central, .on_done = on_done, .on_item = on_item};
    return &central->request;
}

/* what it can do */

bool ys_central_start(struct ys_central *central)
{
    ys_host_start(&central->host);
    return ys_world_run_until(central->world, &central->ready, PATIENCE_NS);
}

/* Where a device is that its first set describes. */
static uint8_t phys_of(const struct ys_design *design)
{
    bool coded = design->set_count > 0 && design->sets[0].primary_phy == YS_SET_CODED + 1;
    return coded ? YS_ON_CODED : YS_ON_1M;
}

bool ys_central_find(struct ys_central *central, const char *name, uint64_t at_most_ns)
{
    const struct ys_scanning scanning = {
        .interval_us = 60000, .window_us = 30000, .active = true, .phys = phys_of(central->design)};
    central->found = false;
    central->wanted = name;
    central->target = (struct ys_address){.type = YS_ADDRESS_PUBLIC};
    say(central, "scans for \"%s\": 30 ms of every 60 ms, actively", name);
    uint64_t start_ns = ys_world_now_ns(central->world);
    bool found =
        ys_scan(&central->host, &scanning) == YS_OK && ys_world_run_until(central->world, &central->found, at_most_ns);
    (void)ys_scan_stop(&central->host);
    ys_world_run(central->world, YS_NS_PER_MS);
    if (found)
        say(central, "has found it after %.1f ms",
            (double)(ys_world_now_ns(central->world) - YS_NS_PER_MS - start_ns) / (double)YS_NS_PER_MS);
    else
        say(central, "has not found it within %g s", (double)at_most_ns / (double)YS_NS_PER_S);
    return found;
}

void ys_central_know(struct ys_central *central, const struct ys_address *address)
{
    central->target = *address;
}

bool ys_central_connect(struct ys_central *central, uint32_t interval_us)
{
    const struct ys_connecting connecting = {
        .interval_us = interval_us, .supervision_timeout_ms = 4000, .phys = phys_of(central->design)};
    central->settled = false;
    central->connect_failed = false;
    central->tree_count = 0;
    enum ys_result result = ys_connect(&central->host, &central->target, &connecting);
    if (result != YS_OK) {
        say(central, "cannot connect: %s", ys_result_text(result));
        return false;
    }
    if (!ys_world_run_until(central->world, &central->settled, PATIENCE_NS)) {
        (void)ys_connect_cancel(&central->host);
        ys_world_run(central->world, YS_NS_PER_MS);
        say(central, "could not connect within 5 s");
        return false;
    }
    if (central->connect_failed)
        say(central, "failed to connect: %s (0x%02X)", ys_hci_error_text(central->reason), central->reason);
    else
        say(central, "has connected, every %g ms", interval_us / 1000.0);
    return central->connected;
}

bool ys_central_exchange_mtu(struct ys_central *central)
{
    bool good =
        wait(central, ys_client_exchange_mtu(&central->host, central->connection, prepare(central)), "agree on an MTU");
    if (good)
        say(central, "has agreed on an MTU of %u bytes: %u of value in one notification", central->request.length,
            central->request.length - 3);
    return good;
}

static void say_properties(char *text, size_t size, uint8_t properties)
{
    size_t used = 0;
    text[0] = '\0';
    for (int way = 0; way < YS_WAYS; way++) {
        if ((properties & ys_ways[way].property) != 0)
            used += (size_t)snprintf(text + used, size - used, "%s%s", used > 0 ? ", " : "", ys_ways[way].name);
    }
}

static const char *found_name(const struct ys_central *central, const struct discovered *one)
{
    const struct ys_found *found = &one->found;
    static const enum ys_adopted_kind kinds[] = {
        [YS_FOUND_SERVICE] = YS_ADOPTED_SERVICE,
        [YS_FOUND_CHARACTERISTIC] = YS_ADOPTED_CHARACTERISTIC,
        [YS_FOUND_DESCRIPTOR] = YS_ADOPTED_DESCRIPTOR,
    };
    const struct ys_service *service = ys_design_find_service(central->design, &found->uuid);
    const struct ys_characteristic *characteristic = definition_of(central, one);
    const struct ys_adopted *adopted = ys_adopted_by_number(kinds[found->kind], ys_uuid_number(&found->uuid));
    if (found->kind == YS_FOUND_SERVICE && service != NULL)
        return service->name;
    if (found->kind == YS_FOUND_CHARACTERISTIC && characteristic != NULL)
        return characteristic->name;
    return adopted != NULL ? adopted->name : "(not in the definition)";
}

static void say_found(const struct ys_central *central, const struct discovered *one)
{
    const struct ys_found *found = &one->found;
    char uuid[YS_UUID_TEXT_SIZE];
    char properties[80];
    (void)ys_uuid_format(&found->uuid, uuid);
    const char *name = found_name(central, one);
    if (found->kind == YS_FOUND_SERVICE) {
        say(central, "  0x%04X %-40s %s", found->handle, name, uuid);
    } else if (found->kind == YS_FOUND_CHARACTERISTIC) {
        say_properties(properties, sizeof properties, found->properties);
        say(central, "  0x%04X   %-38s %-36s %s", found->value_handle, name, uuid, properties);
    } else {
        char lower[64];
        size_t i = 0;
        for (; name[i] != '\0' && i + 1 < sizeof lower; i++)
            lower[i] = (char)(name[i] >= 'A' && name[i] <= 'Z' ? name[i] - 'A' + 'a' : name[i]);
        lower[i] = '\0';
        say(central, "  0x%04X     %-36s %s", found->handle, lower, uuid);
    }
}

/* Puts what was found into the order of the handles, which is that of the tree, and notes the configurations. */
static int compare(const void *a, const void *b)
{
    const struct discovered *left = a;
    const struct discovered *right = b;
    return (int)left->found.handle - (int)right->found.handle;
}

static void note_configurations(struct ys_central *central)
{
    struct discovered *characteristic = NULL;
    for (size_t i = 0; i < central->tree_count; i++) {
        struct discovered *one = &central->tree[i];
        if (one->found.kind == YS_FOUND_CHARACTERISTIC)
            characteristic = one;
        else if (one->found.kind == YS_FOUND_SERVICE)
            characteristic = NULL;
        else if (characteristic != NULL && ys_uuid_number(&one->found.uuid) == 0x2902)
            characteristic->configuration = one->found.handle;
    }
}

bool ys_central_discover(struct ys_central *central)
{
    central->tree_count = 0;
    if (!wait(central, ys_client_discover(&central->host, central->connection, prepare(central)), "discover"))
        return false;
    qsort(central->tree, central->tree_count, sizeof central->tree[0], compare);
    note_configurations(central);
    say(central, "has discovered:");
    for (size_t i = 0; i < central->tree_count; i++)
        say_found(central, &central->tree[i]);
    return true;
}

static const struct discovered *find(const struct ys_central *central, const struct ys_characteristic *characteristic)
{
    for (size_t i = 0; i < central->tree_count; i++) {
        if (central->tree[i].found.kind == YS_FOUND_CHARACTERISTIC &&
            definition_of(central, &central->tree[i]) == characteristic)
            return &central->tree[i];
    }
    say(central, "has not discovered %s", characteristic->name);
    return NULL;
}

bool ys_central_read(struct ys_central *central, const struct ys_characteristic *characteristic)
{
    const struct discovered *discovered = find(central, characteristic);
    char what[160];
    char text[240];
    char raw[160];
    if (discovered == NULL)
        return false;
    (void)snprintf(what, sizeof what, "read %s", characteristic->name);
    if (!wait(central,
              ys_client_read(&central->host, central->connection, prepare(central), discovered->found.value_handle,
                             central->value, sizeof central->value),
              what))
        return false;
    ys_value_format(&characteristic->type, central->value, central->request.length, text, sizeof text);
    say(central, "reads %s: %s  [%s]", characteristic->name, text[0] != '\0' ? text : "(empty)",
        ys_hex_format(central->value, central->request.length, " ", raw, sizeof raw));
    return true;
}

int ys_central_write(struct ys_central *central, const struct ys_characteristic *characteristic, const char *text)
{
    const struct discovered *discovered = find(central, characteristic);
    const char *problem = NULL;
    char what[200];
    char raw[64];
    int length = ys_value_parse(&characteristic->type, text, central->value, sizeof central->value, &problem);
    if (length < 0)
        say(central, "cannot write \"%s\": %s", text, problem);
    if (discovered == NULL || length < 0)
        return -1;
    (void)snprintf(what, sizeof what, "write %s: %s  [%s]", characteristic->name, text,
                   ys_hex_format(central->value, (size_t)length, " ", raw, sizeof raw));
    if (wait(central,
             ys_client_write(&central->host, central->connection, prepare(central), discovered->found.value_handle,
                             central->value, (uint16_t)length),
             what)) {
        say(central, "writes %s", what + strlen("write "));
        return 0;
    }
    return central->request.outcome == YS_OUTCOME_REFUSED ? central->request.error : -1;
}

bool ys_central_command(struct ys_central *central, const struct ys_characteristic *characteristic, const char *text)
{
    const struct discovered *discovered = find(central, characteristic);
    const char *problem = NULL;
    char what[200];
    char raw[64];
    int length = ys_value_parse(&characteristic->type, text, central->value, sizeof central->value, &problem);
    if (length < 0)
        say(central, "cannot write \"%s\": %s", text, problem);
    if (discovered == NULL || length < 0)
        return false;
    (void)snprintf(what, sizeof what, "write %s: %s  [%s], without response", characteristic->name, text,
                   ys_hex_format(central->value, (size_t)length, " ", raw, sizeof raw));
    if (!wait(central,
              ys_client_write_command(&central->host, central->connection, prepare(central),
                                      discovered->found.value_handle, central->value, (uint16_t)length),
              what))
        return false;
    say(central, "writes %s", what + strlen("write "));
    return true;
}

bool ys_central_subscribe(struct ys_central *central, const struct ys_characteristic *characteristic, bool on)
{
    const struct discovered *discovered = find(central, characteristic);
    if (discovered == NULL)
        return false;
    bool good =
        wait(central,
             ys_client_subscribe(&central->host, central->connection, prepare(central), discovered->configuration,
                                 (uint16_t)(!on                                        ? YS_SUBSCRIBE_NONE
                                            : ys_offers(characteristic, YS_WAY_NOTIFY) ? YS_SUBSCRIBE_NOTIFICATIONS
                                                                                       : YS_SUBSCRIBE_INDICATIONS)),
             on ? "subscribe" : "unsubscribe");
    if (good && central->metered == NULL)
        central->metered = characteristic;
    if (good)
        say(central, "has %s %s", on ? "subscribed to" : "unsubscribed from", characteristic->name);
    return good;
}

void ys_central_watch(struct ys_central *central, uint64_t for_ns)
{
    central->listed = 0;
    ys_world_run(central->world, for_ns);
}

bool ys_central_disconnect(struct ys_central *central)
{
    central->disconnected = false;
    if (ys_disconnect(&central->host, central->connection) != YS_OK ||
        !ys_world_run_until(central->world, &central->disconnected, PATIENCE_NS))
        return false;
    say(central, "has disconnected");
    return true;
}

uint64_t ys_central_received(const struct ys_central *central)
{
    return central->received;
}

const struct ys_stream_meter *ys_central_stream(const struct ys_central *central)
{
    return &central->stream;
}

struct ys_central *ys_central_new(struct ys_world *world, uint16_t number, const char *name,
                                  const struct ys_design *design)
{
    const struct ys_address address = {.type = YS_ADDRESS_PUBLIC,
                                       .bytes = {(uint8_t)number, (uint8_t)(number >> 8), 0, 0xff, 0xff, 0}};
    struct ys_central *central = calloc(1, sizeof *central);
    if (central == NULL)
        return NULL;
    central->world = world;
    central->name = name;
    central->design = design;
    bool has_sets = ys_design_has_sets(design); /* what a newer device says, a newer central hears */
    central->simulated = ys_simulated_new(
        world->radio,
        &(struct ys_simulated_settings){.number = number, .seed = world->seed, .address = address, .sets = has_sets});
    if (central->simulated == NULL ||
        ys_host_init(&central->host, sizeof central->host,
                     &(struct ys_host_settings){.port = ys_simulated_port(central->simulated),
                                                .table = &ys_table_bare,
                                                .on_event = on_event,
                                                .address_type = YS_ADDRESS_RANDOM}) != YS_OK) {
        ys_central_free(central);
        return NULL;
    }
    if (has_sets)
        ys_host_use_sets(&central->host, &central->sets);
    ys_simulated_attach(central->simulated, &central->host);
    return central;
}

void ys_central_free(struct ys_central *central)
{
    if (central == NULL)
        return;
    ys_simulated_free(central->simulated);
    free(central);
}
