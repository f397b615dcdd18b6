/* What leaves and what comes in a run. */
#include "experiment/throughput_flow.h"

/* A value changes so often while one of them is sent: whichever goes is new, and its age is a matter of chance. */
#define PIECE 64

/* The bytes of the next value: its number as far as it has room for that, and then the same again and again. */
static void make_value(struct flow *flow, uint8_t *bytes, uint16_t length, uint64_t changed_ns)
{
    for (uint16_t i = 0; i < length; i++)
        bytes[i] = (uint8_t)(flow->sent >> 8 * (i % 4));
    flow->stamps[flow->sent % STAMPS] = changed_ns;
    flow->sent++;
}

void ys_flow_count(struct flow *flow, uint16_t length)
{
    if (!flow->run->measures)
        return;
    flow->last_ns = ys_run_now_ns(flow->run);
    flow->values++;
    flow->bytes += length;
}

static void note(struct flow *flow, uint16_t length, uint64_t stamp_ns)
{
    if (flow->took != NULL)
        ys_samples_add(flow->took, (double)(ys_run_now_ns(flow->run) - stamp_ns) / 1e6);
    ys_flow_count(flow, length);
}

void ys_flow_take(struct flow *flow, const uint8_t *bytes, uint16_t length)
{
    uint64_t number = flow->received;
    for (uint16_t i = 0; i < length; i++) {
        if (bytes[i] == (uint8_t)(number >> 8 * (i % 4)))
            continue;
        flow->run->report->out_of_order++;
        break;
    }
    flow->received++;
    note(flow, length, flow->stamps[number % STAMPS]);
}

void ys_flow_take_bytes(struct flow *flow, const uint8_t *bytes, uint16_t length)
{
    for (uint16_t i = 0; i < length; i++)
        flow->run->report->out_of_order += bytes[i] != (uint8_t)((flow->received + i) * 167 >> 3);
    flow->received += length;
    note(flow, length, flow->stamps[(flow->received - 1) / PIECE % STAMPS]);
}

/* Appends some bytes of the stream, no more than its ring has room for. */
static bool append(struct link_run *link, uint16_t length)
{
    struct flow *flow = &link->up;
    uint8_t bytes[512];
    for (uint16_t i = 0; i < length; i++) {
        bytes[i] = (uint8_t)((flow->sent + i) * 167 >> 3);
        flow->stamps[(flow->sent + i) / PIECE % STAMPS] = ys_run_now_ns(link->run);
    }
    if (!ys_stream_append(&link->stream, bytes, length))
        return false;
    flow->sent += length;
    return true;
}

void ys_flow_fill(struct link_run *link)
{
    while (link->run->flows && ys_stream_room(&link->stream) >= PIECE)
        (void)append(link, PIECE);
}

uint8_t ys_flow_read(const struct ys_access *access, struct ys_writer *value)
{
    struct link_run *link = access->context;
    uint8_t bytes[512];
    make_value(&link->up, bytes, link->up.value_bytes, link->changed_ns);
    ys_put_bytes(value, bytes, link->up.value_bytes);
    return YS_ATT_OK;
}

uint8_t ys_flow_write(const struct ys_access *access, struct ys_reader *value)
{
    struct link_run *link = access->context;
    uint8_t bytes[512];
    uint16_t length = (uint16_t)ys_reader_left(value);
    ys_get_copy(value, bytes, length);
    ys_flow_take(&link->down, bytes, length);
    return YS_ATT_OK;
}

/* A value changes at any time between two events, as a sensor has it. */
static void change(void *context)
{
    struct link_run *link = context;
    struct run *run = link->run;
    link->changed_ns = ys_run_now_ns(run);
    ys_host_changed(&link->device.host, run->value_handle);
    if (run->flows)
        ys_clock_set(run->world.clock, &link->changes,
                     link->changed_ns + run->change_ns / 2 + ys_chance_below(&link->chance, (uint32_t)run->change_ns));
}

static void write_next(struct ys_client_request *request);

static void written(struct ys_client_request *request)
{
    const struct link_run *link = request->context;
    if (request->outcome == YS_OUTCOME_DONE && link->run->flows)
        write_next(request);
}

static void write_next(struct ys_client_request *request)
{
    struct link_run *link = request->context;
    struct run *run = link->run;
    uint16_t length = link->down.value_bytes;
    uint8_t *bytes = link->written[request - link->writes];
    *request = (struct ys_client_request){.context = link, .on_done = written};
    make_value(&link->down, bytes, length, ys_run_now_ns(run));
    if (run->plan->carrier == YS_CARRIER_REQUESTS)
        (void)ys_client_write(&run->central.host, link->connection, request, run->value_handle, bytes, length);
    else
        (void)ys_client_write_command(&run->central.host, link->connection, request, run->value_handle, bytes, length);
}

void ys_flow_send(struct run *run)
{
    struct link_run *link = &run->links[0];
    struct end *sender = run->plan->carrier == YS_CARRIER_CHANNEL ? &link->device : &run->central;
    struct flow *flow = main_flow(link);
    make_value(flow, run->message, flow->value_bytes, ys_run_now_ns(run));
    (void)ys_channel_send(&sender->host, &sender->channel, run->message, flow->value_bytes);
}

/* The first of them begin one after the other, as if by chance. */
static void begin_changes(struct link_run *link)
{
    struct run *run = link->run;
    link->changes = (struct ys_timer){.fire = change, .context = link};
    ys_clock_set(run->world.clock, &link->changes, ys_run_now_ns(run));
}

void ys_flow_start(struct link_run *link)
{
    struct run *run = link->run;
    const struct ys_throughput_plan *plan = run->plan;
    bool up = plan->both || !ys_carrier_is_to_device(plan->carrier);
    bool down = plan->both || ys_carrier_is_to_device(plan->carrier);
    run->flows = true;
    if (ys_carrier_is_channel(plan->carrier)) {
        ys_flow_send(run);
        return;
    }
    if (up && plan->carrier == YS_CARRIER_STREAM)
        ys_flow_fill(link);
    else if (up)
        begin_changes(link);
    size_t writes = !down ? 0 : plan->carrier == YS_CARRIER_REQUESTS ? 1 : COMMANDS;
    for (size_t i = 0; i < writes; i++) {
        link->writes[i].context = link;
        write_next(&link->writes[i]);
    }
}

bool ys_flow_single(struct link_run *link)
{
    enum ys_carrier carrier = link->run->plan->carrier;
    if (ys_carrier_is_channel(carrier))
        return false;
    if (carrier == YS_CARRIER_STREAM)
        return append(link, link->up.value_bytes);
    link->writes[0].context = link;
    if (ys_carrier_is_to_device(carrier))
        write_next(&link->writes[0]);
    else
        begin_changes(link);
    return true;
}
