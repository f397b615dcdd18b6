/* What leaves and what comes in a run. */
#include "experiment/throughput_flow.h"

/* The bytes of the next value: its number as far as it has room for that, and then the same again and again. */
static void make_value(struct run *run, uint8_t *bytes, uint16_t length)
{
    for (uint16_t i = 0; i < length; i++)
        bytes[i] = (uint8_t)(run->sent >> 8 * (i % 4));
    run->stamps[run->sent % STAMPS] = ys_run_now_ns(run);
    run->sent++;
}

static void note(struct run *run, uint64_t bytes, uint64_t stamp_ns)
{
    struct ys_throughput_report *report = run->report;
    if (!run->measures)
        return;
    run->last_ns = ys_run_now_ns(run);
    report->values++;
    report->value_bytes += bytes;
    ys_samples_add(&report->latency_ms, (double)(run->last_ns - stamp_ns) / 1e6);
}

/* A value has come: it must be the next. */
void ys_flow_take(struct run *run, const uint8_t *bytes, uint16_t length)
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
void ys_flow_take_bytes(struct run *run, const uint8_t *bytes, uint16_t length)
{
    for (uint16_t i = 0; i < length; i++)
        run->report->out_of_order += bytes[i] != (uint8_t)((run->received + i) * 167 >> 3);
    run->received += length;
    note(run, length, run->stamps[(run->received - 1) / 64 % STAMPS]);
}

/* A stream's ring is never empty for long: an interrupt would append so. */
void ys_flow_fill(struct run *run)
{
    uint8_t bytes[64];
    while (run->flows && ys_stream_room(&run->stream) >= sizeof bytes) {
        for (size_t i = 0; i < sizeof bytes; i++)
            bytes[i] = (uint8_t)((run->sent + i) * 167 >> 3);
        run->stamps[run->sent / sizeof bytes % STAMPS] = ys_run_now_ns(run);
        (void)ys_stream_append(&run->stream, bytes, sizeof bytes);
        run->sent += sizeof bytes;
    }
}

uint8_t ys_flow_read(const struct ys_access *access, struct ys_writer *value)
{
    struct run *run = access->context;
    uint8_t bytes[512];
    make_value(run, bytes, run->value_bytes);
    ys_put_bytes(value, bytes, run->value_bytes);
    if (run->flows) /* by then it has changed again */
        ys_host_changed(access->host, ((struct end *)access->host)->run->value_handle);
    return YS_ATT_OK;
}

uint8_t ys_flow_write(const struct ys_access *access, struct ys_reader *value)
{
    uint8_t bytes[512];
    uint16_t length = (uint16_t)ys_reader_left(value);
    ys_get_copy(value, bytes, length);
    ys_flow_take(access->context, bytes, length);
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

void ys_flow_send(struct run *run)
{
    struct end *sender = channel_sender(run);
    make_value(run, run->message, run->value_bytes);
    (void)ys_channel_send(&sender->host, &sender->channel, run->message, run->value_bytes);
}

void ys_flow_start(struct run *run)
{
    run->flows = true;
    if (ys_carrier_is_channel(run->plan->carrier))
        ys_flow_send(run);
    else if (run->plan->carrier == YS_CARRIER_STREAM)
        ys_flow_fill(run);
    else if (!ys_carrier_is_to_device(run->plan->carrier))
        ys_host_changed(&run->device.host, run->value_handle);
    size_t writes = ys_carrier_is_channel(run->plan->carrier) || !ys_carrier_is_to_device(run->plan->carrier) ? 0
                    : run->plan->carrier == YS_CARRIER_COMMANDS                                               ? COMMANDS
                                                                                                              : 1;
    for (size_t i = 0; i < writes; i++) {
        run->writes[i].context = run;
        write_next(&run->writes[i]);
    }
}
