/* A host whose controller is the test. */
#include "support/scripted.h"

#include <stdio.h>
#include <string.h>

#include "support/check.h"
#include "support/hex.h"
#include "wire/hci.h"
#include "wire/l2cap.h"

static void send(void *context, const uint8_t *packet, size_t length)
{
    struct scripted *scripted = context;
    assert_true(scripted->sent_count < SENT_MOST && length <= sizeof scripted->sent[0]);
    memcpy(scripted->sent[scripted->sent_count], packet, length);
    scripted->sent_length[scripted->sent_count++] = length;
}

static const uint8_t *receive(void *context, size_t *length)
{
    struct scripted *scripted = context;
    if (scripted->given == scripted->waiting) {
        scripted->given = 0;
        scripted->waiting = 0;
        return NULL;
    }
    *length = scripted->waiting_length[scripted->given];
    return scripted->to_host[scripted->given++];
}

static uint32_t now_ms(void *context)
{
    return ((const struct scripted *)context)->now_ms;
}

static bool draw(void *context, void *bytes, size_t length)
{
    (void)context;
    memset(bytes, 0x5a, length);
    return true;
}

static void enter(void *context)
{
    assert_int_equal(((struct scripted *)context)->critical++, 0);
}

static void leave(void *context)
{
    assert_int_equal(--((struct scripted *)context)->critical, 0);
}

static bool put(void *context, uint16_t key, const void *bytes, size_t length)
{
    return ys_store_put(((struct scripted *)context)->store, key, bytes, length);
}

static size_t get(void *context, uint16_t key, void *bytes, size_t size)
{
    return ys_store_get(((struct scripted *)context)->store, key, bytes, size);
}

static void delete (void *context, uint16_t key)
{
    ys_store_delete(((struct scripted *)context)->store, key);
}

void scripted_give_store(struct scripted *scripted, struct ys_store *store)
{
    scripted->store = store;
    scripted->port.store_put = put;
    scripted->port.store_get = get;
    scripted->port.store_delete = delete;
}

/* Keeps a copy of what an event points to, so that tests can look at it later. */
static void keep_data(struct scripted *scripted, struct ys_event *event)
{
    uint8_t *data = scripted->event_data[scripted->event_count];
    if (event->kind == YS_EVENT_NOTIFICATION) {
        memcpy(data, event->u.notification.value, event->u.notification.length);
        event->u.notification.value = data;
    } else if (event->kind == YS_EVENT_REPORT) {
        memcpy(data, event->u.report.data, event->u.report.length);
        event->u.report.data = data;
    }
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct scripted *scripted = (struct scripted *)host; /* its first member */
    (void)context;
    assert_true(scripted->event_count < EVENTS_MOST);
    scripted->events[scripted->event_count] = *event;
    keep_data(scripted, &scripted->events[scripted->event_count]);
    scripted->event_count++;
    if (scripted->on_event != NULL)
        scripted->on_event(scripted, event);
}

void scripted_init(struct scripted *scripted, const struct ys_table *table, uint8_t *values, void *context)
{
    memset(scripted, 0, sizeof *scripted);
    scripted->port = (struct ys_port){
        .context = scripted,
        .send = send,
        .receive = receive,
        .now_ms = now_ms,
        .random = draw,
        .enter_critical = enter,
        .leave_critical = leave,
    };
    const struct ys_host_settings settings = {
        .port = &scripted->port,
        .table = table,
        .values = values,
        .context = context,
        .on_event = on_event,
        .address_type = YS_ADDRESS_RANDOM,
    };
    assert_int_equal(ys_host_init(&scripted->host, sizeof scripted->host, &settings), YS_OK);
    scripted->context = context;
}

uint32_t turn(struct scripted *scripted)
{
    return ys_host_run(&scripted->host);
}

void leave_packet(struct scripted *scripted, const char *hex)
{
    assert_true(scripted->waiting < SENT_MOST);
    scripted->waiting_length[scripted->waiting] =
        from_hex(hex, scripted->to_host[scripted->waiting], sizeof scripted->to_host[0]);
    scripted->waiting++;
}

void give(struct scripted *scripted, const char *hex)
{
    leave_packet(scripted, hex);
    (void)turn(scripted);
}

void forget_sent(struct scripted *scripted)
{
    scripted->sent_count = 0;
}

void assert_sent(struct scripted *scripted, const char *hex)
{
    char all[8192] = "";
    char wanted[8192] = "";
    uint8_t bytes[300];
    for (size_t i = 0; i < scripted->sent_count; i++)
        (void)snprintf(all + strlen(all), sizeof all - strlen(all), "%s%s", i > 0 ? " | " : "",
                       to_hex(scripted->sent[i], scripted->sent_length[i]));
    while (*hex != '\0') {
        char one[1024];
        size_t length = strcspn(hex, "|");
        (void)snprintf(one, sizeof one, "%.*s", (int)length, hex);
        size_t count = from_hex(one, bytes, sizeof bytes);
        (void)snprintf(wanted + strlen(wanted), sizeof wanted - strlen(wanted), "%s%s", wanted[0] != '\0' ? " | " : "",
                       to_hex(bytes, count));
        hex += length + (hex[length] == '|');
    }
    forget_sent(scripted);
    assert_string_equal(all, wanted);
}

void complete(struct scripted *scripted, uint16_t opcode, const char *parameters)
{
    char hex[700];
    uint8_t bytes[256];
    size_t length = from_hex(parameters, bytes, sizeof bytes);
    (void)snprintf(hex, sizeof hex, "04 0e %02x 01 %02x %02x 00 %s", (unsigned)(4 + length), opcode & 0xffu,
                   opcode >> 8, parameters);
    give(scripted, hex);
}

void scripted_start(struct scripted *scripted, uint16_t buffer_length, uint8_t buffer_count)
{
    char buffers[32];
    (void)snprintf(buffers, sizeof buffers, "%02x %02x %02x", buffer_length & 0xffu, (unsigned)buffer_length >> 8,
                   buffer_count);
    ys_host_start(&scripted->host);
    (void)turn(scripted);
    complete(scripted, YS_HCI_RESET, "");
    complete(scripted, YS_HCI_READ_FEATURES, "00 00 00 00 60 00 00 00");
    complete(scripted, YS_HCI_LE_READ_FEATURES, "00 00 00 00 00 00 00 00");
    complete(scripted, YS_HCI_SET_EVENT_MASK, "");
    complete(scripted, YS_HCI_LE_SET_EVENT_MASK, "");
    complete(scripted, YS_HCI_LE_READ_BUFFER_SIZE, buffers);
    complete(scripted, YS_HCI_READ_ADDRESS, "01 02 03 04 05 06");
    complete(scripted, YS_HCI_LE_SET_RANDOM_ADDRESS, "");
    (void)last_event(scripted, YS_EVENT_READY);
    forget_sent(scripted);
}

void connect_it(struct scripted *scripted, uint16_t handle, uint8_t role)
{
    char hex[128];
    (void)snprintf(hex, sizeof hex, "04 3e 13 01 00 %02x %02x %02x 01 11 22 33 44 55 c6 18 00 00 00 90 01 00",
                   handle & 0xffu, (unsigned)handle >> 8, role);
    give(scripted, hex);
    (void)last_event(scripted, YS_EVENT_CONNECTED);
}

void give_att(struct scripted *scripted, uint16_t handle, const char *hex)
{
    char packet[2048];
    uint8_t bytes[600];
    size_t length = from_hex(hex, bytes, sizeof bytes);
    (void)snprintf(packet, sizeof packet, "02 %02x %02x %02x %02x %02x %02x 04 00 %s", handle & 0xffu,
                   ((unsigned)handle >> 8) | 0x20u, (unsigned)(length + 4) & 0xffu, (unsigned)(length + 4) >> 8,
                   (unsigned)length & 0xffu, (unsigned)length >> 8, hex);
    give(scripted, packet);
}

void assert_att(struct scripted *scripted, uint16_t handle, const char *hex)
{
    uint8_t whole[700];
    size_t length = 0;
    for (size_t i = 0; i < scripted->sent_count; i++) {
        struct ys_reader reader = ys_reader_of(scripted->sent[i], scripted->sent_length[i]);
        struct ys_hci_data data;
        assert_int_equal(ys_get_u8(&reader), YS_HCI_DATA);
        ys_get_hci_data(&reader, &data);
        assert_int_equal(data.handle, handle);
        assert_int_equal(data.boundary, i == 0 ? YS_HCI_FIRST_TO_CONTROLLER : YS_HCI_CONTINUING);
        assert_int_equal(data.length, ys_reader_left(&reader));
        ys_get_copy(&reader, whole + length, data.length);
        length += data.length;
    }
    forget_sent(scripted);
    if (hex[0] == '\0') {
        assert_int_equal(length, 0);
        return;
    }
    assert_true(length >= 4);
    assert_int_equal(whole[0] | whole[1] << 8, length - 4);
    assert_int_equal(whole[2] | whole[3] << 8, YS_L2CAP_ATT);
    assert_hex(whole + 4, length - 4, hex);
}

void give_buffers(struct scripted *scripted, uint16_t handle, uint16_t count)
{
    char hex[64];
    (void)snprintf(hex, sizeof hex, "04 13 05 01 %02x %02x %02x %02x", handle & 0xffu, (unsigned)handle >> 8,
                   count & 0xffu, (unsigned)count >> 8);
    give(scripted, hex);
}

const struct ys_event *last_event(const struct scripted *scripted, enum ys_event_kind kind)
{
    for (size_t i = scripted->event_count; i > 0; i--) {
        if (scripted->events[i - 1].kind == kind)
            return &scripted->events[i - 1];
    }
    fail_msg("no event of kind %d", (int)kind);
    return NULL;
}

size_t count_events(const struct scripted *scripted, enum ys_event_kind kind)
{
    size_t count = 0;
    for (size_t i = 0; i < scripted->event_count; i++)
        count += scripted->events[i].kind == kind;
    return count;
}
