/* Outboxes and receipts, while clients come, subscribe, confirm and go as they like: values go in their order, each
 * leaves its outbox once, and none before it was sent. */
#include <stdlib.h>
#include <yarnswift/outbox.h>

#include "hosted.h"
#include "torque_wrench_table.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

#define LONGEST 40

static struct hosted hosted;
static struct ys_outbox outbox;
static struct ys_receipts receipts;
static struct ys_receipt receipt_memory[3];
static uint8_t memory[YS_OUTBOX_SIZE(4, LONGEST)];
static unsigned put, sent, arrived;
static uint8_t sent_next; /* the number of the next value */
static bool connected;
static uint8_t opcode[2];             /* of a command that waits for its answer */
static uint8_t handle, configuration; /* by notification or indication */

static void use(struct ys_host *host)
{
    if (ys_host_use_receipts(host, &receipts, receipt_memory, 3) != YS_OK ||
        ys_outbox_open(host, &outbox, handle, memory, sizeof memory) != YS_OK)
        abort();
}

/* The first byte of a value is its number: it is the next, or after the end of a connection one that was sent before
 * and has not arrived. */
static void on_sent(const uint8_t *packet, size_t length)
{
    if (packet[0] == 1) {
        opcode[0] = packet[1];
        opcode[1] = packet[2];
    }
    bool first = length > 12 && packet[0] == 2 && (packet[2] & 0x30) == 0 && (packet[9] == 0x1b || packet[9] == 0x1d) &&
                 packet[10] == handle;
    if (!first)
        return;
    if (packet[12] != sent_next)
        abort();
    sent_next++;
}

static void on_event(const struct ys_event *event)
{
    sent += event->kind == YS_EVENT_SENT;
    arrived += event->kind == YS_EVENT_ARRIVED;
    if (event->kind == YS_EVENT_DISCONNECTED)
        sent_next = (uint8_t)arrived; /* what had not arrived goes again */
    if (event->kind == YS_EVENT_DISCONNECTED)
        connected = false;
    if (arrived > sent || arrived > put)
        abort();
}

/* The controller does what it is told. */
static void answer_commands(void)
{
    while (opcode[0] != 0) {
        const uint8_t complete[] = {4, 0x0e, 4, 1, opcode[0], opcode[1], 0};
        const uint8_t status[] = {4, 0x0f, 4, 0, 1, opcode[0], opcode[1]};
        bool disconnects = opcode[0] == 0x06 && opcode[1] == 0x04;
        opcode[0] = 0;
        hosted_give(&hosted, disconnects ? status : complete, disconnects ? sizeof status : sizeof complete);
    }
}

static void put_value(unsigned length)
{
    uint8_t value[LONGEST + 1] = {(uint8_t)put};
    bool fits = ys_outbox_room(&outbox, length) > 0;
    if (ys_outbox_put(&outbox, value, length) != fits)
        abort();
    put += fits;
}

static void give_completed(uint8_t count)
{
    const uint8_t packet[] = {4, 0x13, 5, 1, 1, 0, count, 0};
    hosted_give(&hosted, packet, sizeof packet);
}

static void come_or_go(void)
{
    static const uint8_t comes[] = {4, 0x3e, 19, 1, 0, 1, 0, 1, 0, 1, 2, 3, 4, 5, 6, 24, 0, 0, 0, 0x90, 1, 0};
    static const uint8_t goes[] = {4, 5, 4, 0, 1, 0, 8};
    hosted_give(&hosted, connected ? goes : comes, connected ? sizeof goes : sizeof comes);
    connected = true;
}

static void act(uint8_t byte)
{
    uint8_t argument = byte >> 3;
    bool was_connected = connected;
    switch (byte & 7) {
    case 0:
        put_value(1u + argument);
        break;
    case 1:
        give_completed(argument);
        break;
    case 2:
        hosted_give_pdu(&hosted, (const uint8_t[]){0x12, handle + 1, 0, (argument & 1) != 0 ? configuration : 0, 0}, 5);
        break;
    case 3:
        hosted_give_pdu(&hosted, (const uint8_t[]){0x1e}, 1);
        break;
    case 4:
        come_or_go();
        connected = !was_connected;
        break;
    case 5:
        hosted.now_ms += argument * 1000u;
        hosted_give(&hosted, NULL, 0);
        break;
    case 6:
        hosted_give_pdu(&hosted, (const uint8_t[]){0x02, (uint8_t)(23 + argument), 0}, 3);
        break;
    default:
        hosted_give(&hosted, NULL, 0);
        break;
    }
    answer_commands();
    if (ys_outbox_is_empty(&outbox) != (arrived == put))
        abort();
}

/* At the end somebody comes who takes all that is left. */
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    opcode[0] = 0;
    sent = arrived = put = sent_next = 0;
    bool indicate = size > 0 && (data[0] & 1) != 0;
    handle = indicate ? TORQUE_WRENCH_BOLT_RESULT : TORQUE_WRENCH_LIVE_TORQUE;
    configuration = indicate ? YS_SUBSCRIBE_INDICATIONS : YS_SUBSCRIBE_NOTIFICATIONS;
    hosted_begin_with(&hosted, use);
    hosted.on_event = on_event;
    hosted.on_sent = on_sent;
    connected = true;
    for (size_t i = 1; i < size && i < 1000; i++)
        act(data[i]);
    if (connected)
        act(4);
    act(4);
    act(6 | 31 << 3);
    act(2 | 1 << 3);
    for (int i = 0; i < 100; i++) {
        give_completed(20);
        act(3);
    }
    if (!ys_outbox_is_empty(&outbox) || arrived != put)
        abort();
    return 0;
}
