/* A host whose controller is the fuzzer. */
#include "hosted.h"

#include <stddef.h>
#include <stdlib.h>
#include <string.h>

#include "torque_wrench_table.h"

static void send(void *context, const uint8_t *packet, size_t length)
{
    struct hosted *hosted = context;
    hosted->sent++;
    if (hosted->on_sent != NULL)
        hosted->on_sent(packet, length);
}

static const uint8_t *receive(void *context, size_t *length)
{
    struct hosted *hosted = context;
    const uint8_t *packet = hosted->packet;
    *length = hosted->length;
    hosted->packet = NULL;
    return packet;
}

static uint32_t now_ms(void *context)
{
    return ((const struct hosted *)context)->now_ms;
}

static bool draw(void *context, void *bytes, size_t length)
{
    (void)context;
    memset(bytes, 0x5a, length);
    return true;
}

static void critical(void *context)
{
    (void)context;
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    const struct hosted *hosted = (const struct hosted *)((const char *)host - offsetof(struct hosted, host));
    (void)context;
    if (hosted->on_event != NULL)
        hosted->on_event(event);
}

void hosted_give(struct hosted *hosted, const uint8_t *packet, size_t length)
{
    hosted->packet = packet;
    hosted->length = length;
    (void)ys_host_run(&hosted->host);
}

void hosted_give_pdu(struct hosted *hosted, const uint8_t *pdu, uint8_t length)
{
    uint8_t packet[9 + 255];
    const uint8_t header[9] = {2, 1, 0x20, (uint8_t)(length + 4), (uint8_t)(length > 251), length, 0, 4, 0};
    memcpy(packet, header, sizeof header);
    memcpy(packet + sizeof header, pdu, length);
    hosted_give(hosted, packet, sizeof header + length);
}

void hosted_give_buffers(struct hosted *hosted)
{
    static const uint8_t completed[] = {4, 0x13, 5, 1, 1, 0, 20, 0};
    hosted_give(hosted, completed, sizeof completed);
}

/* Starts the host of a controller with these features; `sets` is NULL for a host without. */
static void begin(struct hosted *hosted, struct ys_sets *sets, struct ys_pairing *pairing,
                  const struct ys_security *security, const struct ys_port *more, void (*use)(struct ys_host *host))
{
    static const uint8_t read_sets[] = {4, 0x0e, 5, 1, 0x3b, 0x20, 0, 4};
    static const uint8_t read_data_max[] = {4, 0x0e, 6, 1, 0x3a, 0x20, 0, 0x72, 6};
    static const uint8_t has_sets[] = {4, 0x0e, 12, 1, 0x03, 0x20, 0, 0, 0x10, 0, 0, 0, 0, 0, 0};
    static const uint8_t answers[][16] = {
        {4, 0x0e, 4, 1, 0x03, 0x0c, 0},
        {4, 0x0e, 12, 1, 0x03, 0x10, 0, 0, 0, 0, 0, 0x40, 0, 0, 0},
        {4, 0x0e, 12, 1, 0x03, 0x20, 0, 0, 0, 0, 0, 0, 0, 0, 0},
        {4, 0x0e, 4, 1, 0x01, 0x0c, 0},
        {4, 0x0e, 4, 1, 0x01, 0x20, 0},
        {4, 0x0e, 7, 1, 0x02, 0x20, 0, 27, 0, 20},
        {4, 0x0e, 10, 1, 0x09, 0x10, 0, 1, 2, 3, 4, 5, 6},
        {4, 0x0e, 4, 1, 0x05, 0x20, 0},
    };
    memset(hosted, 0, sizeof *hosted);
    hosted->port = (struct ys_port){
        .context = hosted,
        .send = send,
        .receive = receive,
        .now_ms = now_ms,
        .random = draw,
        .enter_critical = critical,
        .leave_critical = critical,
    };
    if (more != NULL) {
        hosted->port.encrypt = more->encrypt;
        hosted->port.curve_key = more->curve_key;
        hosted->port.curve_secret = more->curve_secret;
        hosted->port.curve_result = more->curve_result;
        hosted->port.store_put = more->store_put;
        hosted->port.store_get = more->store_get;
        hosted->port.store_delete = more->store_delete;
    }
    const struct ys_host_settings settings = {
        .port = &hosted->port,
        .table = &torque_wrench_table,
        .context = &hosted->wrench,
        .on_event = on_event,
        .address_type = YS_ADDRESS_RANDOM,
    };
    wrench_init(&hosted->wrench, &hosted->host);
    if (ys_host_init(&hosted->host, sizeof hosted->host, &settings) != YS_OK)
        return;
    if (sets != NULL)
        ys_host_use_sets(&hosted->host, sets);
    if (pairing != NULL && ys_host_use_pairing(&hosted->host, pairing, security) != YS_OK)
        abort();
    if (use != NULL)
        use(&hosted->host);
    ys_host_start(&hosted->host);
    (void)ys_host_run(&hosted->host);
    for (size_t i = 0; i < sizeof answers / sizeof answers[0]; i++) {
        bool features = answers[i][4] == 0x03 && answers[i][5] == 0x20;
        bool address = answers[i][4] == 0x05 && answers[i][5] == 0x20;
        if (address && sets != NULL) {
            hosted_give(hosted, read_sets, sizeof read_sets);
            hosted_give(hosted, read_data_max, sizeof read_data_max);
        }
        hosted_give(hosted, features && sets != NULL ? has_sets : answers[i], (size_t)answers[i][2] + 3);
    }
}

void hosted_begin(struct hosted *hosted)
{
    hosted_begin_with(hosted, NULL);
}

void hosted_begin_with(struct hosted *hosted, void (*use)(struct ys_host *host))
{
    static const uint8_t connected[] = {4, 0x3e, 19, 1, 0, 1, 0, 1, 0, 1, 2, 3, 4, 5, 6, 24, 0, 0, 0, 0x90, 1, 0};
    begin(hosted, NULL, NULL, NULL, NULL, use);
    hosted_give(hosted, connected, sizeof connected);
}

void hosted_begin_with_sets(struct hosted *hosted, struct ys_sets *sets)
{
    begin(hosted, sets, NULL, NULL, NULL, NULL);
}

void hosted_begin_with_pairing(struct hosted *hosted, struct ys_pairing *pairing, const struct ys_security *security,
                               const struct ys_port *more)
{
    begin(hosted, NULL, pairing, security, more, NULL);
}
