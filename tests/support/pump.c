/* Hosts that only pump. */
#include "support/check.h"

#include "support/pump.h"

#include <stdio.h>
#include <string.h>

#include "support/hex.h"
#include "wire/hci.h"

struct pumps pumps;

/* Hands over the next piece of a frame. Its first two bytes after the header are its number. */
static void hand_over(struct pump *pump, uint16_t handle)
{
    uint8_t bytes[5 + 251] = {0};
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    bool first = pump->left[handle] == 0;
    if (first)
        pump->left[handle] = pump->frame[handle];
    uint16_t piece = pump->left[handle] < 251 ? pump->left[handle] : 251;
    ys_put_u8(&writer, YS_HCI_DATA);
    ys_put_hci_data(&writer, &(struct ys_hci_data){.handle = handle,
                                                   .boundary = first ? YS_HCI_FIRST_TO_CONTROLLER : YS_HCI_CONTINUING,
                                                   .length = piece});
    if (first) {
        ys_put_u16(&writer, (uint16_t)(pump->frame[handle] - 4));
        ys_put_u16(&writer, 4);
        ys_put_u16(&writer, pump->sent_number[handle]++);
        pump->handed[handle]++;
    }
    pump->left[handle] = (uint16_t)(pump->left[handle] - piece);
    pump->free_buffers--;
    pump->out[handle]++;
    ys_controller_receive(pump->controller, bytes, 5u + piece);
}

static bool is_busy(const struct pump *pump, uint16_t handle)
{
    return pump->frame[handle] > 0 || pump->left[handle] > 0;
}

/* As a host does, it keeps all buffers full, and gives each of its connections its share of them. */
static bool wants(const struct pump *pump, uint16_t handle)
{
    uint8_t all = pump->free_buffers;
    uint8_t busy = 0;
    for (uint16_t i = 1; i < 9; i++) {
        all = (uint8_t)(all + pump->out[i]);
        busy = (uint8_t)(busy + is_busy(pump, i));
    }
    return is_busy(pump, handle) && pump->out[handle] < (all + busy - 1) / busy;
}

/* Gives the answers that the controller waits for. */
static void answer(struct pump *pump)
{
    static const uint8_t key[] = {1, 0x1a, 0x20, 18, 1, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16};
    uint8_t yes[18] = {1, 0x20, 0x20, 14};
    uint8_t no[7] = {1, 0x21, 0x20, 3, 0, 0, YS_HCI_UNACCEPTABLE_PARAMETERS};
    if (pump->never)
        return;
    if (pump->key_asked)
        ys_controller_receive(pump->controller, key, sizeof key);
    pump->key_asked = false;
    if (pump->asked[0] == 0)
        return;
    memcpy(yes + 4, pump->asked, 10);
    memcpy(no + 4, pump->asked, 2);
    pump->asked[0] = 0;
    ys_controller_receive(pump->controller, pump->refuses ? no : yes, pump->refuses ? sizeof no : sizeof yes);
}

static void run(void *context)
{
    struct pump *pump = context;
    bool any = true;
    answer(pump);
    while (any && pump->free_buffers > 0) {
        any = false;
        for (uint16_t i = 1; i <= 9 && pump->free_buffers > 0; i++) {
            uint16_t handle = (uint16_t)((pump->next + i) % 9);
            if (!wants(pump, handle))
                continue;
            hand_over(pump, handle);
            pump->next = (uint8_t)handle;
            any = true;
        }
    }
}

static void data_in(struct pump *pump, struct ys_reader *reader)
{
    struct ys_hci_data data;
    ys_get_hci_data(reader, &data);
    if (data.boundary != YS_HCI_CONTINUING) {
        uint16_t length = ys_get_u16(reader);
        (void)ys_get_u16(reader);
        pump->expected[data.handle] = (uint16_t)(length + 4);
        pump->out_of_order += ys_get_u16(reader) != pump->received_number[data.handle]++;
    }
    assert_true(pump->expected[data.handle] >= data.length);
    pump->expected[data.handle] = (uint16_t)(pump->expected[data.handle] - data.length);
    pump->received[data.handle] += pump->expected[data.handle] == 0;
}

static void count_status(struct pump *pump, uint8_t status)
{
    pump->statuses += status != 0;
    if (status != 0)
        pump->status = status;
}

static void le_event_in(struct pump *pump, struct ys_reader *parameters)
{
    switch (ys_get_u8(parameters)) {
    case 0x01: /* LE Connection Complete, and the enhanced one */
    case 0x0a:
        assert_int_equal(ys_get_u8(parameters), 0);
        pump->handle = ys_get_u16(parameters);
        pump->connections++;
        pump->send_phy = pump->receive_phy = 1;
        pump->send_octets = 27;
        break;
    case 0x03: /* LE Connection Update Complete */
        count_status(pump, ys_get_u8(parameters));
        (void)ys_get_u16(parameters);
        pump->interval = ys_get_u16(parameters);
        break;
    case 0x04: /* LE Read Remote Features Complete */
        count_status(pump, ys_get_u8(parameters));
        break;
    case 0x05: /* LE Long Term Key Request */
        pump->key_asked = true;
        ys_clock_set(pumps.clock, &pump->run, ys_clock_now_ns(pumps.clock));
        break;
    case 0x06: /* LE Remote Connection Parameter Request */
        ys_get_copy(parameters, pump->asked, 10);
        ys_clock_set(pumps.clock, &pump->run, ys_clock_now_ns(pumps.clock));
        break;
    case 0x07: /* LE Data Length Change */
        (void)ys_get_u16(parameters);
        pump->send_octets = ys_get_u16(parameters);
        break;
    case 0x0c: /* LE PHY Update Complete */
        count_status(pump, ys_get_u8(parameters));
        (void)ys_get_u16(parameters);
        pump->send_phy = ys_get_u8(parameters);
        pump->receive_phy = ys_get_u8(parameters);
        break;
    default:
        break;
    }
}

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    struct pump *pump = context;
    struct ys_reader reader = ys_reader_of(packet, length);
    struct ys_reader parameters;
    uint8_t event;
    if (ys_get_u8(&reader) == YS_HCI_DATA) {
        data_in(pump, &reader);
        return;
    }
    assert_true(ys_get_hci_event(&reader, &event, &parameters));
    pump->last_length = length < sizeof pump->last_event ? length : sizeof pump->last_event;
    memcpy(pump->last_event, packet, pump->last_length);
    if (event == YS_HCI_COMPLETED_PACKETS) {
        assert_int_equal(ys_get_u8(&parameters), 1);
        uint16_t handle = ys_get_u16(&parameters);
        uint8_t count = (uint8_t)ys_get_u16(&parameters);
        pump->free_buffers = (uint8_t)(pump->free_buffers + count);
        pump->out[handle] = (uint8_t)(pump->out[handle] - count);
        ys_clock_set(pumps.clock, &pump->run, ys_clock_now_ns(pumps.clock));
    } else if (event == YS_HCI_DISCONNECTION_COMPLETE) {
        (void)ys_get_u8(&parameters);
        (void)ys_get_u16(&parameters);
        pump->reason = ys_get_u8(&parameters);
        pump->disconnections++;
        memset(pump->out, 0, sizeof pump->out);
        pump->free_buffers = 8; /* what was on its way is given back with the connection */
        memset(pump->left, 0, sizeof pump->left);
        memset(pump->frame, 0, sizeof pump->frame);
    } else if (event == YS_HCI_ENCRYPTION_CHANGE) {
        pump->encrypted = true;
    } else if (event == YS_HCI_LE_META) {
        pump->reports += packet[3] == YS_HCI_LE_ADVERTISING_REPORT;
        le_event_in(pump, &parameters);
    }
}

static void on_air(void *context, const struct ys_air_packet *packet)
{
    uint64_t *until_ns = &pumps.sends_until_ns[packet->sender <= PUMPS_MOST ? packet->sender : 0];
    (void)context;
    pumps.air_packets++;
    pumps.at_once += packet->start_ns < *until_ns;
    *until_ns = packet->start_ns + packet->duration_ns;
}

void pumps_begin(size_t count, const struct ys_controller_settings *settings)
{
    memset(&pumps, 0, sizeof pumps);
    pumps.clock = ys_clock_new();
    pumps.radio = ys_radio_new(pumps.clock);
    static struct ys_observer watcher;
    watcher = (struct ys_observer){.observe = on_air, .context = NULL};
    ys_radio_observe(pumps.radio, &watcher);
    for (size_t i = 0; i < count; i++) {
        struct pump *pump = &pumps.sides[i];
        struct ys_controller_settings own = {.seed = 1, .sets = 1, .buffer_count = 8};
        if (settings != NULL)
            own = settings[i];
        own.number = (uint16_t)(i + 1);
        own.address = (struct ys_address){.bytes = {(uint8_t)(i + 1), 0, 0, 0xff, 0xff, 0}};
        own.send = to_host;
        own.context = pump;
        pump->free_buffers = own.buffer_count;
        pump->run = (struct ys_timer){.fire = run, .context = pump};
        pump->controller = ys_controller_new(pumps.radio, &own);
        pump_tell(i, "01 0120 08 ffff0f0000000000");
        pump_tell(i, "01 010c 08 ffffffffffffff3f");
    }
}

void pumps_end(void)
{
    assert_int_equal(pumps.at_once, 0);
    for (size_t i = 0; i < PUMPS_MOST; i++)
        ys_controller_free(pumps.sides[i].controller);
    ys_radio_free(pumps.radio);
    ys_clock_free(pumps.clock);
}

void pump_tell(size_t which, const char *hex)
{
    uint8_t packet[300];
    ys_controller_receive(pumps.sides[which].controller, packet, from_hex(hex, packet, sizeof packet));
}

void pump_run_ms(uint64_t ms)
{
    ys_clock_run(pumps.clock, ys_clock_now_ns(pumps.clock) + ms * YS_NS_PER_MS);
}

static unsigned swap(uint16_t value)
{
    return (unsigned)(value >> 8 | (value & 0xff) << 8);
}

void pumps_join(size_t central, size_t peripheral, uint16_t interval, uint16_t latency, uint16_t timeout)
{
    char command[120];
    uint16_t before = pumps.sides[central].connections;
    pump_tell(peripheral, "01 0620 0f 2000 2000 00 00 00 000000000000 07 00");
    pump_tell(peripheral, "01 0a20 01 01");
    (void)snprintf(command, sizeof command,
                   "01 0d20 19 6000 6000 00 00 %02x0000ffff00 00 %04x %04x %04x %04x 0000 0000",
                   (unsigned)peripheral + 1, swap(interval), swap(interval), swap(latency), swap(timeout));
    pump_tell(central, command);
    for (int i = 0; i < 100 && pumps.sides[central].connections == before; i++)
        pump_run_ms(20);
    assert_int_equal(pumps.sides[central].connections, before + 1);
    pumps.sides[central].interval = interval;
    pump_run_ms(50);
}

void pumps_connect(size_t which, uint16_t interval, uint16_t latency, uint16_t timeout)
{
    pumps_join(which, 0, interval, latency, timeout);
}

void pumps_shape(const struct ys_link_shape *shape)
{
    static const char *const phys[] = {[YS_PHY_1M] = "01 01 0000",
                                       [YS_PHY_2M] = "02 02 0000",
                                       [YS_PHY_CODED_S8] = "04 04 0200",
                                       [YS_PHY_CODED_S2] = "04 04 0100"};
    char command[80];
    uint64_t events_ms = 20 * (uint64_t)shape->interval_us / 1000 + 100;
    for (size_t i = 0; i < 2; i++) {
        (void)snprintf(command, sizeof command, "01 2220 06 0100 %02x00 9042", shape->packet_length);
        pump_tell(i, command);
    }
    for (size_t i = 2; i-- > 0;) {
        (void)snprintf(command, sizeof command, "01 3220 07 0100 00 %s", phys[shape->data_phy]);
        pump_tell(i, command);
        pump_run_ms(events_ms);
    }
    if (shape->encrypted) {
        pump_tell(1, PUMP_ENCRYPT);
        pump_run_ms(2 * events_ms);
        assert_true(pumps.sides[0].encrypted && pumps.sides[1].encrypted);
    }
    assert_int_equal(pumps.sides[0].send_octets, shape->packet_length);
}

void pump_stream(size_t which, uint16_t handle, uint16_t frame_bytes)
{
    struct pump *pump = &pumps.sides[which];
    pump->frame[handle] = frame_bytes;
    ys_clock_set(pumps.clock, &pump->run, ys_clock_now_ns(pumps.clock));
}
