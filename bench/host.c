/* bench_host WHAT COUNT: a host does that many times one of these, from HCI in to HCI out. The difference between two
 * counts is what it costs.
 *
 *   read       answers a read of the live torque
 *   notify     notifies it, after its handler was asked for it
 *   discovered is discovered by a client: a table of 200 attributes, at an MTU of 247
 *   discovers  discovers the same, as the client */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/builder.h>
#include <yarnswift/host.h>

#include "torque_wrench_table.h"
#include "wrench.h"

#define PACKETS_MOST 64

struct packet {
    size_t length;
    uint8_t bytes[260];
};

/* A host, with what it is given next and what it has sent. */
struct end {
    struct ys_host host;
    struct ys_port port;
    const struct packet *given;
    size_t sent;
    struct packet last;
};

static void send(void *context, const uint8_t *packet, size_t length)
{
    struct end *end = context;
    end->sent++;
    end->last.length = length;
    memcpy(end->last.bytes, packet, length);
}

static const uint8_t *receive(void *context, size_t *length)
{
    struct end *end = context;
    const struct packet *packet = end->given;
    end->given = NULL;
    if (packet == NULL)
        return NULL;
    *length = packet->length;
    return packet->bytes;
}

static uint32_t now_ms(void *context)
{
    (void)context;
    return 0;
}

static void critical(void *context)
{
    (void)context;
}

static void give(struct end *end, const struct packet *packet)
{
    end->given = packet;
    (void)ys_host_run(&end->host);
}

static const struct packet completed = {8, {4, 0x13, 5, 1, 1, 0, 1, 0}};
static const struct packet completed_8 = {8, {4, 0x13, 5, 1, 1, 0, 8, 0}};

/* A connected host with eight controller buffers of 251 bytes. */
static void begin(struct end *end, const struct ys_table *table, void *context, enum ys_role role)
{
    static const struct packet start[] = {
        {7, {4, 0x0e, 4, 1, 0x03, 0x0c}},
        {15, {4, 0x0e, 12, 1, 0x03, 0x10, 0, 0, 0, 0, 0, 0x40}},
        {15, {4, 0x0e, 12, 1, 0x03, 0x20}},
        {7, {4, 0x0e, 4, 1, 0x01, 0x0c}},
        {7, {4, 0x0e, 4, 1, 0x01, 0x20}},
        {10, {4, 0x0e, 7, 1, 0x02, 0x20, 0, 251, 0, 8}},
        {13, {4, 0x0e, 10, 1, 0x09, 0x10, 0, 1, 2, 3, 4, 5, 6}},
    };
    struct packet connected = {22, {4, 0x3e, 19, 1, 0, 1, 0, 1, 0, 1, 2, 3, 4, 5, 6, 24, 0, 0, 0, 0x90, 1, 0}};
    end->port = (struct ys_port){
        .context = end,
        .send = send,
        .receive = receive,
        .now_ms = now_ms,
        .enter_critical = critical,
        .leave_critical = critical,
    };
    const struct ys_host_settings settings = {.port = &end->port, .table = table, .context = context};
    if (ys_host_init(&end->host, sizeof end->host, &settings) != YS_OK)
        abort();
    ys_host_start(&end->host);
    (void)ys_host_run(&end->host);
    for (size_t i = 0; i < sizeof start / sizeof start[0]; i++)
        give(end, &start[i]);
    connected.bytes[7] = (uint8_t)role;
    give(end, &connected);
    end->sent = 0;
}

/* the wrench alone */

static struct end device;
static struct wrench wrench;

static void read_torque(size_t count)
{
    static const struct packet read = {12, {2, 1, 0x20, 7, 0, 3, 0, 4, 0, 0x0a, TORQUE_WRENCH_LIVE_TORQUE}};
    begin(&device, &torque_wrench_table, &wrench, YS_ROLE_PERIPHERAL);
    for (size_t i = 0; i < count; i++) {
        give(&device, &read);
        if (i % 8 == 7) /* all eight buffers come back at once */
            give(&device, &completed_8);
    }
}

/* The spacing of the torque lies between two of them. */
static uint32_t later_ms(void *context)
{
    static uint32_t time_ms;
    (void)context;
    return time_ms += 50;
}

static void notify_torque(size_t count)
{
    static const struct packet subscribe = {14,
                                            {2, 1, 0x20, 9, 0, 5, 0, 4, 0, 0x12, TORQUE_WRENCH_LIVE_TORQUE + 1, 0, 1}};
    begin(&device, &torque_wrench_table, &wrench, YS_ROLE_PERIPHERAL);
    device.port.now_ms = later_ms;
    give(&device, &subscribe);
    give(&device, &completed);
    device.sent = 0;
    for (size_t i = 0; i < count; i++) {
        ys_host_changed(&device.host, TORQUE_WRENCH_LIVE_TORQUE);
        (void)ys_host_run(&device.host);
        if (i % 8 == 7)
            give(&device, &completed_8);
    }
}

/* a discovery */

#define ATTRIBUTES 200

static struct ys_attribute attributes[ATTRIBUTES];
static struct ys_value values[ATTRIBUTES / 2];
static struct ys_notifiable notifiables[YS_NOTIFIABLES];
static struct ys_builder builder;

/* GAP, GATT, and ten services of nine characteristics each, of which one notifies; the last has fewer. */
static const struct ys_table *build(void)
{
    const struct ys_builder_memory memory = {
        .attributes = attributes,
        .values = values,
        .notifiables = notifiables,
        .attribute_count = ATTRIBUTES,
        .value_count = ATTRIBUTES / 2,
        .notifiable_count = YS_NOTIFIABLES,
    };
    ys_build(&builder, &memory, "bench", 0);
    for (uint16_t service = 0; builder.table.attribute_count < ATTRIBUTES; service++) {
        const struct ys_uuid uuid = ys_uuid_of((uint16_t)(0xfe00 + service));
        (void)ys_build_service(&builder, &uuid, false);
        for (uint16_t i = 0; i < 9 && builder.table.attribute_count < ATTRIBUTES; i++) {
            static const uint8_t bytes[2];
            const struct ys_characteristic_settings built = {
                .uuid = ys_uuid_of((uint16_t)(0xfd00 + i)),
                .properties = i == 0 ? YS_PROPERTY_NOTIFY : YS_PROPERTY_READ,
                .rights = i == 0 ? YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_NONE, YS_RIGHT_OPEN)
                                 : YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE),
                .size = sizeof bytes,
                .bytes = bytes,
                .length = sizeof bytes,
            };
            (void)ys_build_characteristic(&builder, &built);
        }
    }
    return ys_build_end(&builder);
}

static struct end server;
static struct end client;
static struct packet asked[PACKETS_MOST];
static struct packet answered[PACKETS_MOST];
static size_t rounds;
static size_t found;
static bool done;

static void on_done(struct ys_client_request *request)
{
    if (request->outcome != YS_OUTCOME_DONE)
        abort();
    done = true;
}

static void on_item(struct ys_client_request *request, const struct ys_found *item)
{
    (void)request;
    (void)item;
    found++;
}

static struct ys_client_request request = {.on_done = on_done, .on_item = on_item};

/* What one side sent, as the other side's controller gives it to its host. */
static struct packet across(const struct packet *sent)
{
    struct packet packet = *sent;
    packet.bytes[2] = 0x20;
    return packet;
}

/* Lets the client ask until it is done, and keeps what went to and fro. */
static void record(enum ys_result begun)
{
    if (begun != YS_OK)
        abort();
    done = false;
    rounds = 0;
    (void)ys_host_run(&client.host);
    while (!done && rounds < PACKETS_MOST) {
        asked[rounds] = across(&client.last);
        give(&client, &completed);
        give(&server, &asked[rounds]);
        answered[rounds] = across(&server.last);
        give(&server, &completed);
        give(&client, &answered[rounds]);
        rounds++;
    }
    if (!done)
        abort();
}

static void meet(void)
{
    begin(&server, build(), NULL, YS_ROLE_PERIPHERAL);
    begin(&client, &ys_table_bare, NULL, YS_ROLE_CENTRAL);
    record(ys_client_exchange_mtu(&client.host, 1, &request));
    record(ys_client_discover(&client.host, 1, &request));
    server.sent = 0;
    client.sent = 0;
    found = 0;
}

static void is_discovered(size_t count)
{
    meet();
    for (size_t i = 0; i < count * rounds; i++) {
        give(&server, &asked[i % rounds]);
        give(&server, &completed);
    }
}

static void discovers(size_t count)
{
    meet();
    for (size_t i = 0; i < count; i++) {
        (void)ys_client_discover(&client.host, 1, &request);
        (void)ys_host_run(&client.host);
        for (size_t round = 0; round < rounds; round++) {
            give(&client, &completed);
            give(&client, &answered[round]);
        }
    }
}

static const struct {
    const char *name;
    void (*run)(size_t count);
    const struct end *end;
} works[] = {
    {"read", read_torque, &device},
    {"notify", notify_torque, &device},
    {"discovered", is_discovered, &server},
    {"discovers", discovers, &client},
};

int main(int argc, char **argv)
{
    if (argc != 3)
        return 2;
    size_t count = strtoul(argv[2], NULL, 10);
    wrench_init(&wrench, &device.host);
    for (size_t i = 0; i < sizeof works / sizeof works[0]; i++) {
        if (strcmp(argv[1], works[i].name) != 0)
            continue;
        works[i].run(count);
        size_t each = rounds > 0 ? rounds : 1;
        (void)printf("%zu round trips, %zu found\n", rounds, found);
        return works[i].end->sent == count * each ? 0 : 1;
    }
    return 2;
}
