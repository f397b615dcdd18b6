/* The two hosts of a run. */
#include "experiment/throughput_ends.h"

#include <stdio.h>
#include <stdlib.h>

#include <yarnswift/advertisement.h>

#include "experiment/throughput_flow.h"
#include "experiment/throughput_plan.h"

#define VALUE_HANDLE_LEAST 3 /* after its service and its declaration */
#define SERVICE_NUMBER     0x0081
#define CONFIGURATION      0x2902 /* the UUID of a client configuration */

/* The set-up has so long, in events and beside them. */
#define SETUP_EVENTS 200
#define SETUP_NS     (20000 * YS_NS_PER_MS)
#define START_NS     (5 * YS_NS_PER_S) /* a controller */

/* The link of the central that has this connection. */
static struct link_run *link_of(struct run *run, uint16_t connection)
{
    for (size_t i = 0; i < run->connected; i++) {
        if (run->links[i].connection == connection)
            return &run->links[i];
    }
    return &run->links[0];
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct end *end = (struct end *)host;
    struct run *run = end->run;
    (void)context;
    switch (event->kind) {
    case YS_EVENT_READY:
        end->ready = true;
        break;
    case YS_EVENT_CONNECTED:
        end->connected = true;
        end->connection = event->connection;
        break;
    case YS_EVENT_DISCONNECTED:
        end->connected = false;
        end->reason = event->reason;
        break;
    case YS_EVENT_SECURED:
        end->secured = true;
        break;
    case YS_EVENT_REPORT:
        end->heard = true;
        end->address = event->u.report.address;
        break;
    case YS_EVENT_NOTIFICATION:
        if (ys_run_is_foreign(run))
            ys_flow_count(&run->links[0].up, event->u.notification.length);
        else if (run->plan->carrier == YS_CARRIER_STREAM)
            ys_flow_take_bytes(&link_of(run, event->connection)->up, event->u.notification.value,
                               event->u.notification.length);
        else
            ys_flow_take(&link_of(run, event->connection)->up, event->u.notification.value,
                         event->u.notification.length);
        break;
    case YS_EVENT_CHANNEL_OPENED:
        end->open = true;
        break;
    case YS_EVENT_CHANNEL_RECEIVED:
        ys_flow_take(end->link == NULL ? &run->links[0].up : &run->links[0].down, event->u.channel.bytes,
                     event->u.channel.length);
        break;
    case YS_EVENT_CHANNEL_SENT:
        if (run->flows)
            ys_flow_send(run);
        break;
    default:
        break;
    }
    if (ys_run_is_foreign(run)) { /* all that is known of the other end */
        run->links[0].device.connected = end->connected;
        run->links[0].device.secured = end->secured;
    }
}

/* Turns a host; that of a device whose stream flows has its ring filled first. */
static uint32_t turn(struct ys_host *host)
{
    struct end *end = (struct end *)host;
    if (end->link != NULL && end->run->plan->carrier == YS_CARRIER_STREAM)
        ys_flow_fill(end->link);
    return ys_host_run(host);
}

bool ys_ends_make_table(struct link_run *link)
{
    struct run *run = link->run;
    static const uint8_t properties[YS_CARRIERS] = {[YS_CARRIER_STREAM] = YS_PROPERTY_NOTIFY,
                                                    [YS_CARRIER_NOTIFICATIONS] = YS_PROPERTY_NOTIFY,
                                                    [YS_CARRIER_INDICATIONS] = YS_PROPERTY_INDICATE,
                                                    [YS_CARRIER_COMMANDS] = YS_PROPERTY_WRITE_WITHOUT_RESPONSE,
                                                    [YS_CARRIER_REQUESTS] = YS_PROPERTY_WRITE};
    static const uint8_t both = YS_PROPERTY_NOTIFY | YS_PROPERTY_WRITE_WITHOUT_RESPONSE;
    uint16_t rights = YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_OPEN, YS_RIGHT_OPEN);
    run->value_handle = run->plan->handle > VALUE_HANDLE_LEAST ? run->plan->handle : VALUE_HANDLE_LEAST;
    run->configuration_handle = (uint16_t)(run->value_handle + 1);
    link->attributes = calloc(run->value_handle + 1u, sizeof *link->attributes);
    if (link->attributes == NULL)
        return false;
    struct ys_attribute *value = &link->attributes[run->value_handle - 1];
    link->value =
        (struct ys_value){.read = ys_flow_read, .write = ys_flow_write, .stored_at = YS_NONE, .notifiable = 0};
    link->notifiable = (struct ys_notifiable){.handle = run->value_handle, .spacing_ms = run->plan->spacing_ms};
    for (struct ys_attribute *before = link->attributes; before < value - 1; before++)
        *before = (struct ys_attribute){.number = 0xfff0, .kind = YS_ATTRIBUTE_SERVICE, .size = 4};
    value[-1] =
        (struct ys_attribute){.number = 0xfff1,
                              .kind = YS_ATTRIBUTE_CHARACTERISTIC,
                              .properties = (uint8_t)(properties[run->plan->carrier] | (run->plan->both ? both : 0))};
    value[0] = (struct ys_attribute){.number = 0xfff1,
                                     .kind = YS_ATTRIBUTE_VALUE | YS_ATTRIBUTE_VARIABLE,
                                     .rights = rights,
                                     .size = 512,
                                     .source = &link->value};
    value[1] = (struct ys_attribute){.number = 0,
                                     .kind = YS_ATTRIBUTE_CONFIGURATION,
                                     .rights = YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, 0),
                                     .size = 2};
    link->table = (struct ys_table){.attributes = link->attributes,
                                    .notifiables = &link->notifiable,
                                    .attribute_count = (uint16_t)(run->value_handle + 1),
                                    .notifiable_count = 1};
    return true;
}

static void observe(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    struct end *end = context;
    static const char *const names[YS_PLAN_LINKS_MOST] = {"device",   "device 2", "device 3", "device 4",
                                                          "device 5", "device 6", "device 7", "device 8"};
    size_t i = end->link != NULL ? (size_t)(end->link - end->run->links) : 0;
    ys_world_cross(&end->run->world, end->link != NULL ? ys_run_number(i) : CENTRAL,
                   end->link != NULL ? names[i] : "central", direction, packet, length);
}

static struct ys_outside *outside(const struct ys_live *live, bool device)
{
    return live == NULL ? NULL : device ? live->device : live->central;
}

bool ys_ends_begin(struct run *run, struct end *end, struct link_run *link)
{
    static const struct ys_security security = {.capability = YS_CAPABILITY_NONE,
                                                .least = YS_LEVEL_ENCRYPTED,
                                                .key_size_min = 16,
                                                .key_size_max = 16,
                                                .waits = true,
                                                .passkey = YS_PASSKEY_RANDOM};
    const struct ys_throughput_plan *plan = run->plan;
    uint16_t number = link != NULL ? ys_run_number((size_t)(link - run->links)) : CENTRAL;
    bool sends = plan->both || (link == NULL) == ys_carrier_is_to_device(plan->carrier);
    const struct ys_hardware *hardware = link == NULL ? &plan->central : &plan->device;
    end->run = run;
    end->link = link;
    end->simulated =
        ys_simulated_new(run->world.radio, &(struct ys_simulated_settings){
                                               .number = number,
                                               .seed = plan->seed,
                                               .address = {.bytes = {(uint8_t)number, 0, 0, 0xff, 0xff, 0}},
                                               .sets = 1,
                                               .character = hardware->character,
                                               .line_bps = hardware->line_bps,
                                               .thinks_us = hardware->thinks_us,
                                               .adapts = hardware->adapts,
                                               .buffer_count = sends ? plan->buffers : 0,
                                               .event_length_us = plan->event_length_us,
                                               .power_dbm = plan->power_dbm,
                                               .outside = outside(plan->live, link != NULL),
                                               .context = end,
                                               .observe = observe,
                                           });
    if (end->simulated == NULL)
        return false;
    const struct ys_host_settings settings = {
        .port = ys_simulated_port(end->simulated),
        .table = link != NULL ? &link->table : &ys_table_bare,
        .context = link,
        .on_event = on_event,
        .address_type = plan->live != NULL ? YS_OWN_STATIC : YS_OWN_PUBLIC, /* not all real ones have a public one */
        .mtu = plan->mtu,
    };
    if (ys_host_init(&end->host, sizeof end->host, &settings) != YS_OK ||
        ys_host_use_links(&end->host, &end->links, link != NULL ? &run->device_wishes : &run->central_wishes) !=
            YS_OK ||
        (plan->encrypted && ys_host_use_pairing(&end->host, &end->pairing, &security) != YS_OK))
        return false;
    ys_host_use_channels(&end->host, &end->channels);
    ys_simulated_attach(end->simulated, &end->host, turn);
    ys_host_start(&end->host);
    return true;
}

/* Lets time pass until something is so, or the set-up has taken too long. */
static bool wait_for(struct run *run, const bool *flag)
{
    uint64_t most_ns = SETUP_NS + SETUP_EVENTS * ys_run_attended_ns(run->plan);
    return ys_world_run_until(&run->world, flag, most_ns);
}

static bool trouble(struct run *run, const char *text)
{
    (void)snprintf(run->report->trouble, sizeof run->report->trouble, "%s", text);
    return false;
}

static void request_done(struct ys_client_request *request)
{
    ((struct run *)request->context)->done = true;
}

static struct ys_client_request *new_request(struct run *run)
{
    run->done = false;
    run->request = (struct ys_client_request){.context = run, .on_done = request_done};
    return &run->request;
}

static bool wait_for_request(struct run *run, enum ys_result begun)
{
    return begun == YS_OK && wait_for(run, &run->done) && run->request.outcome == YS_OUTCOME_DONE;
}

static bool no_connection(struct run *run)
{
    struct ys_throughput_report *report = run->report;
    if (run->plan->distance_m <= 0)
        return trouble(run, "no connection came about");
    (void)snprintf(
        report->trouble, sizeof report->trouble,
        "no connection came about: over %g m a packet arrives with %.0f dBm, %.1f dB %s than the receiver needs",
        run->plan->distance_m, report->strength_dbm, report->margin_db < 0 ? -report->margin_db : report->margin_db,
        report->margin_db < 0 ? "less" : "more");
    return false;
}

static bool is_silent(struct run *run)
{
    char text[200];
    if (run->plan->live == NULL)
        return trouble(run, "a host did not start");
    (void)snprintf(text, sizeof text,
                   "the controller of the %s does not answer: look at its wires, its rate and its flow control "
                   "(docs/porting.md, When nothing answers)",
                   run->central.ready ? "device" : "central");
    ys_world_break(&run->world, text);
    return false;
}

/* A device of which only the name is known is searched on the air. */
static bool find(struct run *run)
{
    const struct ys_report_filter filter = {.name = run->plan->live->name};
    const struct ys_scanning scanning = {.interval_us = 100000, .window_us = 50000, .active = true, .filter = &filter};
    bool heard = ys_scan(&run->central.host, &scanning) == YS_OK && wait_for(run, &run->central.heard);
    (void)ys_scan_stop(&run->central.host);
    if (!heard)
        (void)snprintf(run->report->trouble, sizeof run->report->trouble, "no device advertises the name \"%.60s\"",
                       run->plan->live->name);
    return heard;
}

static bool connect_to(struct run *run, const struct link_run *link, const struct ys_address *address,
                       const struct ys_connecting *connecting)
{
    run->central.connected = false;
    return ys_connect(&run->central.host, address, connecting) == YS_OK && wait_for(run, &run->central.connected) &&
           wait_for(run, &link->device.connected);
}

static bool connect(struct run *run, struct link_run *link)
{
    static const struct ys_advertising advertising = {.interval_min_us = 20000, .interval_max_us = 20000};
    const struct ys_connecting connecting = {.interval_us = run->plan->interval_us,
                                             .latency = run->plan->latency,
                                             .supervision_timeout_ms = ys_throughput_timeout_ms(run->plan)};
    bool foreign = ys_run_is_foreign(run);
    if (!ys_world_run_until(&run->world, &run->central.ready, START_NS) ||
        (!foreign && !ys_world_run_until(&run->world, &link->device.ready, START_NS)))
        return is_silent(run);
    if (foreign && !find(run))
        return false;
    struct ys_address address = foreign ? run->central.address : ys_host_address(&link->device.host);
    if ((!foreign && ys_advertise(&link->device.host, &advertising) != YS_OK) ||
        !connect_to(run, link, &address, &connecting))
        return no_connection(run);
    link->connection = run->central.connection;
    run->connected++;
    if (!foreign)
        (void)ys_advertise_stop(&link->device.host);
    return true;
}

/* Whether both directions have what is wished. */
static bool is_shaped(const struct run *run, const struct link_run *link)
{
    static const uint8_t phys[] = {YS_1M, YS_2M, YS_CODED, YS_CODED};
    struct ys_link_state state;
    return ys_link_get(&run->central.host, link->connection, &state) == YS_OK &&
           state.receive_phy == phys[run->plan->phy] && state.send_phy == phys[run->plan->central_phy];
}

static void shape(struct run *run, const struct link_run *link)
{
    uint64_t event_ns = ys_run_attended_ns(run->plan);
    for (int i = 0; i < SETUP_EVENTS && !is_shaped(run, link) && run->central.connected; i++)
        ys_world_run(&run->world, event_ns);
    ys_world_run(&run->world, 20 * event_ns);
}

static bool open_channel(struct run *run)
{
    struct end *device = &run->links[0].device;
    struct ys_channel_settings settings = {.spsm = SERVICE_NUMBER,
                                           .credits = 20,
                                           .memory = run->incoming[0],
                                           .size = MESSAGE_PACKETS * CHANNEL_PACKET,
                                           .packet = CHANNEL_PACKET};
    (void)ys_channel_wait(&device->host, &device->channel, &settings);
    settings.memory = run->incoming[1];
    (void)ys_channel_open(&run->central.host, &run->central.channel, run->links[0].connection, &settings);
    return wait_for(run, &device->open) && wait_for(run, &run->central.open);
}

/* Where a device that is real has the value; its client configuration is the next descriptor that is one. */
static void found(struct ys_client_request *request, const struct ys_found *item)
{
    struct run *run = request->context;
    if (item->kind == YS_FOUND_CHARACTERISTIC && ys_uuid_is_equal(&item->uuid, run->plan->live->value))
        run->value_handle = item->value_handle;
    else if (item->kind == YS_FOUND_DESCRIPTOR && run->value_handle != 0 && item->handle > run->value_handle &&
             run->configuration_handle == 0 && ys_uuid_number(&item->uuid) == CONFIGURATION)
        run->configuration_handle = item->handle;
}

static bool discover(struct run *run, uint16_t connection)
{
    struct ys_client_request *request = new_request(run);
    request->on_item = found;
    run->value_handle = 0;
    run->configuration_handle = 0;
    if (!wait_for_request(run, ys_client_discover(&run->central.host, connection, request)))
        return trouble(run, "the connection was lost while the device was discovered");
    return run->configuration_handle != 0 || trouble(run, "the device does not have that characteristic");
}

bool ys_ends_connect(struct link_run *link)
{
    struct run *run = link->run;
    const struct ys_throughput_plan *plan = run->plan;
    struct end *central = &run->central;
    if (!connect(run, link))
        return false;
    shape(run, link);
    if (plan->mtu > 23 &&
        !wait_for_request(run, ys_client_exchange_mtu(&central->host, link->connection, new_request(run))) &&
        run->request.outcome != YS_OUTCOME_REFUSED)
        return trouble(run, "the connection was lost while it was set up");
    central->secured = false;
    if (plan->encrypted && (ys_secure(&central->host, link->connection, YS_LEVEL_ENCRYPTED) != YS_OK ||
                            !wait_for(run, &central->secured) || !wait_for(run, &link->device.secured)))
        return trouble(run, "the link could not be encrypted");
    if (ys_run_is_foreign(run) && !discover(run, link->connection))
        return false;
    if (ys_carrier_is_channel(plan->carrier))
        return open_channel(run) || trouble(run, "the channel could not be opened");
    if (ys_carrier_is_to_device(plan->carrier) && !plan->both)
        return true;
    enum ys_subscription kind =
        plan->carrier == YS_CARRIER_INDICATIONS ? YS_SUBSCRIBE_INDICATIONS : YS_SUBSCRIBE_NOTIFICATIONS;
    return wait_for_request(run, ys_client_subscribe(&central->host, link->connection, new_request(run),
                                                     run->configuration_handle, kind)) ||
           trouble(run, "the connection was lost while it was set up");
}
