/* Hosts on one simulated air. */
#include "support/pair.h"

#include <string.h>

#include "support/check.h"

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct end *end = (struct end *)host; /* its first member */
    end->counts[event->kind]++;
    end->last = *event;
    if (event->kind == YS_EVENT_CONNECTED)
        end->connection = event->connection;
    if (event->kind == YS_EVENT_REPORT)
        end->heard = event->u.report.address;
    if (event->kind == YS_EVENT_NOTIFICATION) {
        end->value_length = event->u.notification.length;
        memcpy(end->value, event->u.notification.value, end->value_length);
    }
    if (end->on_event != NULL)
        end->on_event(host, context, event);
}

static void begin_end(struct pair *pair, struct end *end, uint16_t number, uint64_t seed, const struct ys_table *table,
                      void *context, uint8_t *values, uint8_t connections)
{
    end->clock = pair->clock;
    end->simulated = ys_simulated_new(
        pair->radio, &(struct ys_simulated_settings){
                         .number = number, .seed = seed, .sets = pair->sets, .lacks = pair->lacks[number - 1]});
    assert_non_null(end->simulated);
    const struct ys_host_settings settings = {
        .port = ys_simulated_port(end->simulated),
        .table = table,
        .values = values,
        .context = context,
        .on_event = on_event,
        .address_type = YS_ADDRESS_RANDOM,
        .connections = connections,
    };
    assert_int_equal(ys_host_init(&end->host, sizeof end->host, &settings), YS_OK);
    if (pair->prepare != NULL)
        pair->prepare(pair, end);
    ys_simulated_attach(end->simulated, &end->host, ys_host_run);
    ys_host_start(&end->host);
}

void pair_begin(struct pair *pair, uint64_t seed, const struct ys_table *table, void *context, uint8_t *values,
                ys_event_handler *firmware_event)
{
    const struct pair given = *pair;
    uint8_t connections = given.connections;
    memset(pair, 0, sizeof *pair);
    pair->sets = given.sets;
    memcpy(pair->lacks, given.lacks, sizeof pair->lacks);
    pair->prepare = given.prepare;
    pair->clock = ys_clock_new();
    pair->radio = ys_radio_new(pair->clock);
    pair->peripheral.on_event = firmware_event;
    begin_end(pair, &pair->peripheral, 1, seed, table, context, values, connections);
    begin_end(pair, &pair->central, 2, seed, &ys_table_bare, NULL, NULL, 0);
    begin_end(pair, &pair->second, 3, seed, &ys_table_bare, NULL, NULL, 0);
    pass_ms(pair, 1);
    assert_int_equal(pair->peripheral.counts[YS_EVENT_READY], 1);
    assert_int_equal(pair->central.counts[YS_EVENT_READY], 1);
}

void pair_end(struct pair *pair)
{
    ys_simulated_free(pair->peripheral.simulated);
    ys_simulated_free(pair->central.simulated);
    ys_simulated_free(pair->second.simulated);
    ys_radio_free(pair->radio);
    ys_clock_free(pair->clock);
}

void pass_ms(struct pair *pair, uint64_t ms)
{
    ys_clock_run(pair->clock, ys_clock_now_ns(pair->clock) + ms * YS_NS_PER_MS);
}

void pair_connect(struct pair *pair, struct end *central, uint32_t interval_us)
{
    const struct ys_scanning scanning = {.interval_us = 30000, .window_us = 30000};
    const struct ys_connecting connecting = {.interval_us = interval_us, .supervision_timeout_ms = 4000};
    central->counts[YS_EVENT_REPORT] = 0;
    assert_int_equal(ys_scan(&central->host, &scanning), YS_OK);
    for (int i = 0; i < 1000 && central->counts[YS_EVENT_REPORT] == 0; i++)
        pass_ms(pair, 10);
    assert_true(central->counts[YS_EVENT_REPORT] > 0);
    assert_int_equal(ys_scan_stop(&central->host), YS_OK);
    size_t before = central->counts[YS_EVENT_CONNECTED];
    assert_int_equal(ys_connect(&central->host, &central->heard, &connecting), YS_OK);
    for (int i = 0; i < 1000 && central->counts[YS_EVENT_CONNECTED] == before; i++)
        pass_ms(pair, 10);
    assert_int_equal(central->counts[YS_EVENT_CONNECTED], before + 1);
}

static void on_done(struct ys_client_request *request)
{
    *(bool *)request->context = true;
}

static bool done; /* one test waits for one request at a time */

struct ys_client_request pair_request(void)
{
    done = false;
    return (struct ys_client_request){.context = &done, .on_done = on_done};
}

enum ys_outcome pair_wait(struct pair *pair, struct ys_client_request *request, enum ys_result begun)
{
    assert_int_equal(begun, YS_OK);
    for (int i = 0; i < 4000 && !done; i++)
        pass_ms(pair, 10);
    assert_true(done);
    return (enum ys_outcome)request->outcome;
}
