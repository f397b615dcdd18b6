/* A stream over a connection. Two hosts on simulated controllers: the device with one characteristic and one channel,
 * and a central. Each value begins with its number, by which the other side sees that none is missing, and when it
 * left. */
#include "experiment/throughput.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/channel.h>
#include <yarnswift/link.h>
#include <yarnswift/pairing.h>

#include "experiment/throughput_plan.h"
#include "simulated/simulated.h"
#include "world/world.h"

#define DEVICE  1
#define CENTRAL 2

#define VALUE_HANDLE_LEAST 3 /* behind its service and its declaration */
#define SERVICE_NUMBER     0x0081
#define RING_SIZE          2048
#define COMMANDS           16 /* that a central has waiting */
#define STAMPS             65536
#define MESSAGE_PACKETS    10 /* of a channel, to a message */
#define CHANNEL_PACKET     247
#define MESSAGE_SIZE       ((size_t)MESSAGE_PACKETS * CHANNEL_PACKET)

/* The set-up has so long, in events and beside them. */
#define SETUP_EVENTS 200
#define SETUP_NS     (20000 * YS_NS_PER_MS)

const char *const ys_carrier_names[YS_CARRIERS + 1] = {"stream",   "notifications", "indications",       "commands",
                                                       "requests", "channel",       "channel to device", NULL};

struct end {
    struct ys_host host; /* first, so that either is found from the other */
    struct run *run;
    struct ys_simulated *simulated;
    struct ys_links links;
    struct ys_pairing pairing;
    struct ys_channels channels;
    struct ys_channel channel;
    uint16_t connection;
    bool ready;
    bool connected;
    bool secured;
    bool open; /* its channel */
    uint8_t reason;
};

struct run {
    const struct ys_throughput_plan *plan;
    struct ys_throughput_report *report;
    struct ys_world world;
    struct ys_observer observer;
    struct end device;
    struct end central;
    struct ys_link_wishes wishes;
    struct ys_attribute *attributes;
    uint16_t value_handle;
    struct ys_value value;
    struct ys_notifiable notifiable;
    struct ys_table table;
    struct ys_stream stream;
    uint8_t *ring;
    uint8_t *incoming[2];
    uint8_t *message; /* on its way over the channel */
    struct ys_client_request request;
    struct ys_client_request writes[COMMANDS];
    uint8_t written[COMMANDS][512];
    bool done; /* the request */
    bool flows;
    bool measures;
    uint16_t value_bytes; /* in a value */
    uint64_t sent;        /* values, or bytes of a stream */
    uint64_t received;
    uint64_t stamps[STAMPS]; /* when each left */
    uint64_t from_ns;        /* the first and the last arrival that were measured */
    uint64_t last_ns;
};

static bool is_channel(enum ys_carrier carrier)
{
    return carrier == YS_CARRIER_CHANNEL || carrier == YS_CARRIER_CHANNEL_TO_DEVICE;
}

static bool is_to_device(enum ys_carrier carrier)
{
    return carrier == YS_CARRIER_COMMANDS || carrier == YS_CARRIER_REQUESTS || carrier == YS_CARRIER_CHANNEL_TO_DEVICE;
}

static uint64_t now_ns(const struct run *run)
{
    return ys_world_now_ns(&run->world);
}

/* what leaves, and what comes */

/* The bytes of the next value: its number as far as it has room for that, and then the same again and again. */
static void make_value(struct run *run, uint8_t *bytes, uint16_t length)
{
    for (uint16_t i = 0; i < length; i++)
        bytes[i] = (uint8_t)(run->sent >> 8 * (i % 4));
    run->stamps[run->sent % STAMPS] = now_ns(run);
    run->sent++;
}

static void note(struct run *run, uint64_t bytes, uint64_t stamp_ns)
{
    struct ys_throughput_report *report = run->report;
    if (!run->measures)
        return;
    run->last_ns = now_ns(run);
    report->values++;
    report->value_bytes += bytes;
    ys_samples_add(&report->latency_ms, (double)(run->last_ns - stamp_ns) / 1e6);
}

/* A value has come: it must be the next. */
static void take_value(struct run *run, const uint8_t *bytes, uint16_t length)
{
    uint64_t number = run->received;
    for (uint16_t i = 0; i < length; i++) {
        if (bytes[i] == (uint8_t)(number >> 8 * (i % 4)))
            continue;
        run->report->out_of_order++;
        break;
    }
    run->received++;
    note(run, length, run->stamps[number % STAMPS]);
}

/* Bytes of the stream: each tells its place in it. */
static void take_bytes(struct run *run, const uint8_t *bytes, uint16_t length)
{
    for (uint16_t i = 0; i < length; i++)
        run->report->out_of_order += bytes[i] != (uint8_t)((run->received + i) * 167 >> 3);
    run->received += length;
    note(run, length, run->stamps[(run->received - 1) / 64 % STAMPS]);
}

/* A stream's ring is never empty for long: an interrupt would append so. */
static void fill_stream(struct run *run)
{
    uint8_t bytes[64];
    while (run->flows && ys_stream_room(&run->stream) >= sizeof bytes) {
        for (size_t i = 0; i < sizeof bytes; i++)
            bytes[i] = (uint8_t)((run->sent + i) * 167 >> 3);
        run->stamps[run->sent / sizeof bytes % STAMPS] = now_ns(run);
        (void)ys_stream_append(&run->stream, bytes, sizeof bytes);
        run->sent += sizeof bytes;
    }
}

static uint8_t read_value(const struct ys_access *access, struct ys_writer *value)
{
    struct run *run = access->context;
    uint8_t bytes[512];
    make_value(run, bytes, run->value_bytes);
    ys_put_bytes(value, bytes, run->value_bytes);
    if (run->flows) /* by then it has changed again */
        ys_host_changed(access->host, ((struct end *)access->host)->run->value_handle);
    return YS_ATT_OK;
}

static uint8_t write_value(const struct ys_access *access, struct ys_reader *value)
{
    uint8_t bytes[512];
    uint16_t length = (uint16_t)ys_reader_left(value);
    ys_get_copy(value, bytes, length);
    take_value(access->context, bytes, length);
    return YS_ATT_OK;
}

static void write_next(struct ys_client_request *request);

static void written(struct ys_client_request *request)
{
    const struct run *run = request->context;
    if (request->outcome == YS_OUTCOME_DONE && run->flows)
        write_next(request);
}

static void write_next(struct ys_client_request *request)
{
    struct run *run = request->context;
    uint8_t *bytes = run->written[request - run->writes];
    *request = (struct ys_client_request){.context = run, .on_done = written};
    make_value(run, bytes, run->value_bytes);
    if (run->plan->carrier == YS_CARRIER_COMMANDS)
        (void)ys_client_write_command(&run->central.host, run->central.connection, request, run->value_handle, bytes,
                                      run->value_bytes);
    else
        (void)ys_client_write(&run->central.host, run->central.connection, request, run->value_handle, bytes,
                              run->value_bytes);
}

static struct end *channel_sender(struct run *run)
{
    return run->plan->carrier == YS_CARRIER_CHANNEL ? &run->device : &run->central;
}

static void send_message(struct run *run)
{
    struct end *sender = channel_sender(run);
    make_value(run, run->message, run->value_bytes);
    (void)ys_channel_send(&sender->host, &sender->channel, run->message, run->value_bytes);
}

/* the hosts */

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
    case YS_EVENT_NOTIFICATION:
        if (run->plan->carrier == YS_CARRIER_STREAM)
            take_bytes(run, event->u.notification.value, event->u.notification.length);
        else
            take_value(run, event->u.notification.value, event->u.notification.length);
        break;
    case YS_EVENT_CHANNEL_OPENED:
        end->open = true;
        break;
    case YS_EVENT_CHANNEL_RECEIVED:
        take_value(run, event->u.channel.bytes, event->u.channel.length);
        break;
    case YS_EVENT_CHANNEL_SENT:
        if (run->flows)
            send_message(run);
        break;
    default:
        break;
    }
}

/* Turns a host; that of a device whose stream flows has its ring filled first. */
static uint32_t turn(struct ys_host *host)
{
    struct run *run = ((struct end *)host)->run;
    if (host == &run->device.host && run->plan->carrier == YS_CARRIER_STREAM)
        fill_stream(run);
    return ys_host_run(host);
}

/* The value has the handle that it has in the definition's table, so that captures tell which it is; what lies before
 * are empty services. Its client configuration is behind it. */
static bool make_table(struct run *run)
{
    static const uint8_t properties[YS_CARRIERS] = {[YS_CARRIER_STREAM] = YS_PROPERTY_NOTIFY,
                                                    [YS_CARRIER_NOTIFICATIONS] = YS_PROPERTY_NOTIFY,
                                                    [YS_CARRIER_INDICATIONS] = YS_PROPERTY_INDICATE,
                                                    [YS_CARRIER_COMMANDS] = YS_PROPERTY_WRITE_WITHOUT_RESPONSE,
                                                    [YS_CARRIER_REQUESTS] = YS_PROPERTY_WRITE};
    uint16_t rights = YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_OPEN, YS_RIGHT_OPEN);
    run->value_handle = run->plan->handle > VALUE_HANDLE_LEAST ? run->plan->handle : VALUE_HANDLE_LEAST;
    run->attributes = calloc(run->value_handle + 1u, sizeof *run->attributes);
    if (run->attributes == NULL)
        return false;
    struct ys_attribute *value = &run->attributes[run->value_handle - 1];
    run->value = (struct ys_value){.read = read_value, .write = write_value, .stored_at = YS_NONE, .notifiable = 0};
    run->notifiable = (struct ys_notifiable){.handle = run->value_handle, .spacing_ms = run->plan->spacing_ms};
    for (struct ys_attribute *before = run->attributes; before < value - 1; before++)
        *before = (struct ys_attribute){.number = 0xfff0, .kind = YS_ATTRIBUTE_SERVICE, .size = 4};
    value[-1] = (struct ys_attribute){
        .number = 0xfff1, .kind = YS_ATTRIBUTE_CHARACTERISTIC, .properties = properties[run->plan->carrier]};
    value[0] = (struct ys_attribute){.number = 0xfff1,
                                     .kind = YS_ATTRIBUTE_VALUE | YS_ATTRIBUTE_VARIABLE,
                                     .rights = rights,
                                     .size = 512,
                                     .source = &run->value};
    value[1] = (struct ys_attribute){.number = 0,
                                     .kind = YS_ATTRIBUTE_CONFIGURATION,
                                     .rights = YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, 0),
                                     .size = 2};
    run->table = (struct ys_table){.attributes = run->attributes,
                                   .notifiables = &run->notifiable,
                                   .attribute_count = (uint16_t)(run->value_handle + 1),
                                   .notifiable_count = 1};
    return true;
}

static void observe(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    struct end *end = context;
    bool device = end == &end->run->device;
    ys_world_cross(&end->run->world, device ? DEVICE : CENTRAL, device ? "device" : "central", direction, packet,
                   length);
}

static bool begin_end(struct run *run, struct end *end, uint16_t number)
{
    static const struct ys_security security = {.capability = YS_CAPABILITY_NONE,
                                                .least = YS_LEVEL_ENCRYPTED,
                                                .key_size_min = 16,
                                                .key_size_max = 16,
                                                .waits = true,
                                                .passkey = YS_PASSKEY_RANDOM};
    const struct ys_throughput_plan *plan = run->plan;
    bool sends = (number == CENTRAL) == is_to_device(plan->carrier);
    end->run = run;
    end->simulated =
        ys_simulated_new(run->world.radio, &(struct ys_simulated_settings){
                                               .number = number,
                                               .seed = plan->seed,
                                               .address = {.bytes = {(uint8_t)number, 0, 0, 0xff, 0xff, 0}},
                                               .sets = 1,
                                               .buffer_count = sends ? plan->buffers : 0,
                                               .event_length_us = plan->event_length_us,
                                               .power_dbm = plan->power_dbm,
                                               .context = end,
                                               .observe = observe,
                                           });
    if (end->simulated == NULL)
        return false;
    const struct ys_host_settings settings = {
        .port = ys_simulated_port(end->simulated),
        .table = number == DEVICE ? &run->table : &ys_table_bare,
        .context = run,
        .on_event = on_event,
        .address_type = YS_OWN_PUBLIC,
        .mtu = plan->mtu,
    };
    if (ys_host_init(&end->host, sizeof end->host, &settings) != YS_OK ||
        ys_host_use_links(&end->host, &end->links, &run->wishes) != YS_OK ||
        (plan->encrypted && ys_host_use_pairing(&end->host, &end->pairing, &security) != YS_OK))
        return false;
    ys_host_use_channels(&end->host, &end->channels);
    ys_simulated_attach(end->simulated, &end->host, turn);
    ys_host_start(&end->host);
    return true;
}

/* setting up */

/* How long it takes at the most until the device attends an event again. */
static uint64_t attended_ns(const struct ys_throughput_plan *plan)
{
    return (UINT64_C(1) + plan->latency) * plan->interval_us * YS_NS_PER_US;
}

/* Lets time pass until something is so, or the set-up has taken too long. */
static bool wait_for(struct run *run, const bool *flag)
{
    uint64_t most_ns = SETUP_NS + SETUP_EVENTS * attended_ns(run->plan);
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

static bool connect(struct run *run)
{
    static const struct ys_advertising advertising = {.interval_min_us = 20000, .interval_max_us = 20000};
    const struct ys_connecting connecting = {.interval_us = run->plan->interval_us,
                                             .latency = run->plan->latency,
                                             .supervision_timeout_ms = ys_throughput_timeout_ms(run->plan)};
    if (!wait_for(run, &run->device.ready) || !wait_for(run, &run->central.ready))
        return trouble(run, "a host did not start");
    struct ys_address address = ys_host_address(&run->device.host);
    if (ys_advertise(&run->device.host, &advertising) != YS_OK ||
        ys_connect(&run->central.host, &address, &connecting) != YS_OK || !wait_for(run, &run->central.connected) ||
        !wait_for(run, &run->device.connected))
        return no_connection(run);
    (void)ys_advertise_stop(&run->device.host);
    return true;
}

/* Whether both sides have what they wish: the one that streams at least. */
static bool is_shaped(const struct run *run)
{
    static const uint8_t phys[] = {YS_LINK_1M, YS_LINK_2M, YS_LINK_CODED, YS_LINK_CODED};
    const struct end *sender = is_to_device(run->plan->carrier) ? &run->central : &run->device;
    struct ys_link_state state;
    return ys_link_get(&sender->host, sender->connection, &state) == YS_OK && state.send_phy == phys[run->plan->phy] &&
           state.receive_phy == phys[run->plan->phy];
}

static void shape(struct run *run)
{
    uint64_t event_ns = attended_ns(run->plan);
    for (int i = 0; i < SETUP_EVENTS && !is_shaped(run) && run->central.connected; i++)
        ys_world_run(&run->world, event_ns);
    ys_world_run(&run->world, 20 * event_ns);
}

static bool open_channel(struct run *run)
{
    struct ys_channel_settings settings = {.spsm = SERVICE_NUMBER,
                                           .credits = 20,
                                           .memory = run->incoming[0],
                                           .size = MESSAGE_PACKETS * CHANNEL_PACKET,
                                           .packet = CHANNEL_PACKET};
    (void)ys_channel_wait(&run->device.host, &run->device.channel, &settings);
    settings.memory = run->incoming[1];
    (void)ys_channel_open(&run->central.host, &run->central.channel, run->central.connection, &settings);
    return wait_for(run, &run->device.open) && wait_for(run, &run->central.open);
}

static bool prepare(struct run *run)
{
    const struct ys_throughput_plan *plan = run->plan;
    struct end *central = &run->central;
    if (!connect(run))
        return false;
    shape(run);
    if (plan->mtu > 23 &&
        !wait_for_request(run, ys_client_exchange_mtu(&central->host, central->connection, new_request(run))))
        return trouble(run, "the connection was lost while it was set up");
    if (plan->encrypted && (ys_secure(&central->host, central->connection, YS_LEVEL_ENCRYPTED) != YS_OK ||
                            !wait_for(run, &central->secured) || !wait_for(run, &run->device.secured)))
        return trouble(run, "the link could not be encrypted");
    if (is_channel(plan->carrier))
        return open_channel(run) || trouble(run, "the channel could not be opened");
    if (is_to_device(plan->carrier))
        return true;
    enum ys_subscription kind =
        plan->carrier == YS_CARRIER_INDICATIONS ? YS_SUBSCRIBE_INDICATIONS : YS_SUBSCRIBE_NOTIFICATIONS;
    return wait_for_request(run, ys_client_subscribe(&central->host, central->connection, new_request(run),
                                                     (uint16_t)(run->value_handle + 1), kind)) ||
           trouble(run, "the connection was lost while it was set up");
}

/* What came about, for the calculation. */
static void find_shape(struct run *run)
{
    const struct ys_throughput_plan *plan = run->plan;
    struct ys_throughput_report *report = run->report;
    struct end *sender = is_to_device(plan->carrier) ? &run->central : &run->device;
    struct ys_link_state state = {.send_length = YS_LINK_PAYLOAD_DEFAULT, .interval_us = plan->interval_us};
    uint16_t mtu = ys_host_mtu(&sender->host, sender->connection);
    uint16_t most = (uint16_t)(mtu - 3);
    (void)ys_link_get(&sender->host, sender->connection, &state);
    run->value_bytes = is_channel(plan->carrier) ? MESSAGE_PACKETS * CHANNEL_PACKET - 2
                       : plan->carrier == YS_CARRIER_STREAM || plan->value_bytes > most ? most
                                                                                        : plan->value_bytes;
    report->shape = (struct ys_link_shape){
        .data_phy = plan->phy,
        .answer_phy = plan->phy,
        .interval_us = state.interval_us,
        .event_length_us = plan->event_length_us,
        .packet_length = state.send_length,
        .encrypted = plan->encrypted,
        .by_central = is_to_device(plan->carrier),
        .confirmed = plan->carrier == YS_CARRIER_INDICATIONS || plan->carrier == YS_CARRIER_REQUESTS,
        .value_bytes = is_channel(plan->carrier) ? CHANNEL_PACKET : run->value_bytes,
        .frame_bytes = is_channel(plan->carrier) ? CHANNEL_PACKET + 4 : ys_link_att_frame(run->value_bytes),
        .loss = plan->loss,
    };
    ys_link_limit(&report->shape, &report->limit);
    ys_link_expect_latency(&report->shape, plan->latency, &report->alone);
    report->limit_bps = report->limit.goodput_bps;
    if (is_channel(plan->carrier))
        report->limit_bps *= 1 - 2.0 / (MESSAGE_PACKETS * CHANNEL_PACKET);
    double spaced_bps = plan->spacing_ms > 0 ? 8000.0 * run->value_bytes / plan->spacing_ms : 0;
    if (!is_to_device(plan->carrier) && !is_channel(plan->carrier) && plan->carrier != YS_CARRIER_STREAM &&
        spaced_bps > 0 && spaced_bps < report->limit_bps)
        report->limit_bps = spaced_bps;
}

/* measuring */

static void on_air(void *context, const struct ys_air_packet *packet)
{
    struct run *run = context;
    struct ys_link_meter *meter = &run->report->air;
    struct ys_link_advertising pdu;
    if (packet->access_address == YS_LINK_ADVERTISING_ACCESS_ADDRESS) {
        if (ys_link_advertising_decode(packet->pdu, packet->length, &pdu) && pdu.type == YS_LINK_CONNECT_IND)
            meter->access_address = pdu.connect.access_address;
    } else if (run->measures) {
        ys_link_meter_take(meter, packet);
    }
}

static void start_flow(struct run *run)
{
    run->flows = true;
    if (is_channel(run->plan->carrier))
        send_message(run);
    else if (run->plan->carrier == YS_CARRIER_STREAM)
        fill_stream(run);
    else if (!is_to_device(run->plan->carrier))
        ys_host_changed(&run->device.host, run->value_handle);
    size_t writes = is_channel(run->plan->carrier) || !is_to_device(run->plan->carrier) ? 0
                    : run->plan->carrier == YS_CARRIER_COMMANDS                         ? COMMANDS
                                                                                        : 1;
    for (size_t i = 0; i < writes; i++) {
        run->writes[i].context = run;
        write_next(&run->writes[i]);
    }
}

static uint64_t common_multiple(uint64_t a, uint64_t b)
{
    uint64_t x = a;
    uint64_t y = b;
    while (y != 0) {
        uint64_t rest = x % y;
        x = y;
        y = rest;
    }
    return a / x * b;
}

static void measure(struct run *run)
{
    struct ys_throughput_report *report = run->report;
    uint64_t interval_ns = report->shape.interval_us * YS_NS_PER_US;
    /* whole rounds, so that none is cut by the ends of the time */
    uint64_t messages = is_channel(run->plan->carrier) ? MESSAGE_PACKETS : 1;
    uint64_t round_ns = report->limit.cycle * messages * interval_ns;
    if (run->plan->spacing_ms > 0)
        round_ns = common_multiple(interval_ns, run->plan->spacing_ms * YS_NS_PER_MS);
    uint64_t seconds_ns = run->plan->seconds * YS_NS_PER_S;
    uint64_t for_ns = round_ns > 0 && round_ns <= seconds_ns ? seconds_ns / round_ns * round_ns : seconds_ns;
    start_flow(run);
    ys_world_run(&run->world, 10 * attended_ns(run->plan) + 100 * YS_NS_PER_MS);
    run->measures = true;
    run->from_ns = now_ns(run);
    ys_world_run(&run->world, for_ns);
    run->measures = false;
    report->ended = !run->central.connected;
    report->seconds = (double)((report->ended ? run->last_ns : now_ns(run)) - run->from_ns) / 1e9;
    report->from_s = (double)run->from_ns / 1e9;
    run->flows = false; /* what is on its way must come */
    ys_world_run(&run->world, 20 * attended_ns(run->plan) + 2 * YS_NS_PER_S);
}

void ys_throughput_charge(const struct ys_throughput_plan *plan, struct ys_throughput_report *report)
{
    const struct ys_link_meter *air = &report->air;
    const struct ys_link_side *own = &air->sides[1];
    const struct ys_link_side *other = &air->sides[0];
    report->activity = (struct ys_activity){
        .seconds = report->seconds,
        .events = air->events,
        .transmit_s = (double)own->on_air_ns / 1e9,
        .receive_s = (double)(other->on_air_ns + other->packets * YS_LINK_INTER_FRAME_SPACE_NS) / 1e9,
    };
    if (plan->energy == NULL || report->seconds <= 0)
        return;
    report->mean_ua = ys_charge_mean_ua(plan->energy, &report->activity);
    if (report->value_bytes > 0)
        report->mc_per_megabyte = report->mean_ua * report->seconds / 1000 / ((double)report->value_bytes / 1e6);
}

static void evaluate(struct run *run)
{
    struct ys_throughput_report *report = run->report;
    const struct ys_link_meter *air = &report->air;
    double seconds = report->seconds;
    report->goodput_bps = seconds > 0 ? (double)report->value_bytes * 8 / seconds : 0;
    report->ratio = report->limit_bps > 0 ? report->goodput_bps / report->limit_bps : 0;
    report->missing = run->sent - run->received;
    if (run->plan->carrier == YS_CARRIER_STREAM) /* what waits in its ring has not been sent */
        report->missing -= RING_SIZE - 1 - ys_stream_room(&run->stream);
    report->used = ys_link_meter_used(air, report->shape.interval_us);
    if (seconds > 0)
        report->airtime = (double)(air->sides[0].on_air_ns + air->sides[1].on_air_ns) / 1e9 / seconds;
    ys_throughput_charge(run->plan, report);
    if (report->ended)
        (void)snprintf(report->trouble, sizeof report->trouble, "the connection ended after %.1f s: %s (0x%02x)",
                       report->seconds, ys_hci_error_text(run->central.reason), run->central.reason);
}

static const struct ys_air_model open_air = {
    .loss_at_1m_db = 40,
    .exponent = 2,
    .capture_db = 8,
    .sensitivity_dbm = {[YS_PHY_1M] = -95, [YS_PHY_2M] = -92, [YS_PHY_CODED_S8] = -103, [YS_PHY_CODED_S2] = -98}};

static bool place(struct run *run)
{
    const struct ys_throughput_plan *plan = run->plan;
    if (plan->distance_m <= 0)
        return true;
    const struct ys_link_budget budget = {.power_dbm = plan->power_dbm,
                                          .loss_at_1m_db = open_air.loss_at_1m_db,
                                          .exponent = open_air.exponent,
                                          .distance_m = plan->distance_m,
                                          .sensitivity_dbm = open_air.sensitivity_dbm[plan->phy]};
    run->report->strength_dbm = ys_link_strength_dbm(&budget);
    run->report->margin_db = ys_link_margin_db(&budget);
    return ys_radio_set_model(run->world.radio, &open_air) && ys_radio_place(run->world.radio, DEVICE, 0, 0) &&
           ys_radio_place(run->world.radio, CENTRAL, plan->distance_m, 0);
}

static void lose(struct run *run)
{
    double shares[40];
    for (size_t i = 0; i < 40; i++)
        shares[i] = run->plan->loss;
    if (run->plan->loss > 0)
        ys_radio_lose(run->world.radio, shares, run->plan->seed);
}

static bool play(struct run *run)
{
    static const uint8_t phys[] = {YS_LINK_1M, YS_LINK_2M, YS_LINK_CODED, YS_LINK_CODED};
    const struct ys_throughput_plan *plan = run->plan;
    run->ring = malloc(RING_SIZE);
    run->message = malloc(MESSAGE_SIZE);
    run->incoming[0] = malloc(MESSAGE_SIZE);
    run->incoming[1] = malloc(MESSAGE_SIZE);
    if (run->ring == NULL || run->message == NULL || run->incoming[0] == NULL || run->incoming[1] == NULL ||
        !place(run))
        return false;
    run->wishes = (struct ys_link_wishes){
        .packet_length = plan->packet_length,
        .send_phys = phys[plan->phy],
        .receive_phys = phys[plan->phy],
        .coding = plan->phy == YS_PHY_CODED_S2 ? YS_CODING_S2 : YS_CODING_S8,
    };
    ys_world_record(&run->world, plan->recording);
    run->observer = (struct ys_observer){.observe = on_air, .context = run};
    ys_radio_observe(run->world.radio, &run->observer);
    if (!make_table(run) || !begin_end(run, &run->device, DEVICE) || !begin_end(run, &run->central, CENTRAL))
        return false;
    (void)ys_stream_open(&run->device.host, &run->stream, run->value_handle, run->ring, RING_SIZE);
    if (!prepare(run))
        return true;
    find_shape(run);
    lose(run);
    measure(run);
    evaluate(run);
    return true;
}

bool ys_throughput_run(const struct ys_throughput_plan *plan, struct ys_throughput_report *report)
{
    struct run *run = calloc(1, sizeof *run);
    *report = (struct ys_throughput_report){.ended = false};
    if (run == NULL)
        return false;
    run->plan = plan;
    run->report = report;
    bool good = ys_world_init(&run->world, plan->seed, NULL, NULL);
    if (good) {
        good = play(run);
        ys_simulated_free(run->device.simulated);
        ys_simulated_free(run->central.simulated);
        ys_world_end(&run->world);
    }
    free(run->attributes);
    free(run->ring);
    free(run->message);
    free(run->incoming[0]);
    free(run->incoming[1]);
    free(run);
    return good;
}

void ys_throughput_free(struct ys_throughput_report *report)
{
    ys_samples_free(&report->latency_ms);
}
