/* The start of a host, and its commands, against a scripted controller. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include <yarnswift/sets.h>

#include "support/hex.h"
#include "support/sample.h"
#include "support/scripted.h"
#include "wire/hci.h"

static struct scripted scripted;
static uint8_t values[SAMPLE_VALUES_SIZE];
static struct sample sample;

static int setup(void **state)
{
    (void)state;
    scripted_init(&scripted, &sample_table, values, &sample);
    return 0;
}

static void init_names_what_is_missing(void **state)
{
    static struct ys_host host;
    const struct ys_port whole = scripted.port;
    struct ys_port port;
    struct ys_host_settings settings = {
        .port = &port, .table = &sample_table, .values = values, .address_type = YS_ADDRESS_RANDOM};
    (void)state;
#define EXPECT(result) assert_int_equal(ys_host_init(&host, sizeof host, &settings), result)
    port = whole;
    EXPECT(YS_OK);
    port.send = NULL;
    EXPECT(YS_ERROR_PORT_SEND);
    port = whole;
    port.receive = NULL;
    EXPECT(YS_ERROR_PORT_RECEIVE);
    port = whole;
    port.now_ms = NULL;
    EXPECT(YS_ERROR_PORT_CLOCK);
    port = whole;
    port.random = NULL;
    EXPECT(YS_ERROR_PORT_RANDOM);
    settings.address_type = YS_ADDRESS_PUBLIC;
    EXPECT(YS_OK);
    port = whole;
    port.leave_critical = NULL;
    EXPECT(YS_ERROR_PORT_CRITICAL);
    scripted_give_store(&scripted, NULL);
    port = scripted.port;
    EXPECT(YS_OK);
    port.store_get = NULL;
    EXPECT(YS_ERROR_PORT_STORE);
    port = whole;
    port.store_get = scripted.port.store_get;
    EXPECT(YS_ERROR_PORT_STORE);
    port = whole;
    settings.values = NULL;
    EXPECT(YS_ERROR_TABLE_VALUES);
    settings.table = NULL;
    EXPECT(YS_ERROR_TABLE);
    const struct ys_table large = {.notifiable_count = YS_NOTIFIABLES + 1};
    settings.table = &large;
    EXPECT(YS_ERROR_TABLE_NOTIFIABLES);
    settings.table = &sample_table;
    settings.port = NULL;
    EXPECT(YS_ERROR_PORT_SEND);
    assert_int_equal(ys_host_init(&host, sizeof host - 4, &settings), YS_ERROR_CONFIGURATION);
    for (int result = YS_OK; result <= YS_ERROR_CONTEXT; result++)
        assert_true(strlen(ys_result_text((enum ys_result)result)) > 10);
    assert_string_equal(ys_result_text((enum ys_result)99), "an unknown result");
}

/* Vol 4 Part E 7.3.1, 7.8.1, 7.3.2, 7.4.3, 7.8.3, 7.4.6, 7.8.4. */
static void the_start_goes_in_order_one_command_at_a_time(void **state)
{
    (void)state;
    ys_host_start(&scripted.host);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 030c 00");
    (void)turn(&scripted);
    assert_sent(&scripted, ""); /* nothing before the answer */
    complete(&scripted, YS_HCI_RESET, "");
    assert_sent(&scripted, "01 0310 00");
    complete(&scripted, YS_HCI_READ_FEATURES, "00 00 00 00 40 00 00 00");
    assert_sent(&scripted, "01 0320 00");
    complete(&scripted, YS_HCI_LE_READ_FEATURES, "00 00 00 00 00 00 00 00");
    assert_sent(&scripted, "01 010c 08 9080000000800020");
    complete(&scripted, YS_HCI_SET_EVENT_MASK, "");
    assert_sent(&scripted, "01 0120 08 0300000000000000");
    complete(&scripted, YS_HCI_LE_SET_EVENT_MASK, "");
    assert_sent(&scripted, "01 0220 00");
    complete(&scripted, YS_HCI_LE_READ_BUFFER_SIZE, "fb00 08");
    assert_sent(&scripted, "01 0910 00");
    complete(&scripted, YS_HCI_READ_ADDRESS, "01 02 03 04 05 06");
    assert_sent(&scripted, "01 0520 06 5a5a5a5a5ada"); /* drawn, and made static */
    assert_int_equal(scripted.event_count, 0);
    complete(&scripted, YS_HCI_LE_SET_RANDOM_ADDRESS, "");
    assert_int_equal(last_event(&scripted, YS_EVENT_READY)->kind, YS_EVENT_READY);
    assert_int_equal(turn(&scripted), YS_FOREVER);
    assert_string_equal(
        ys_address_kind(&(struct ys_address){ys_host_address(&scripted.host).type, {0, 0, 0, 0, 0, 0xda}}),
        "random static");
}

/* Vol 4 Part E 7.4.5, 7.8.2. */
static void shared_buffers_are_asked_for_when_le_has_none(void **state)
{
    (void)state;
    ys_host_start(&scripted.host);
    (void)turn(&scripted);
    complete(&scripted, YS_HCI_RESET, "");
    complete(&scripted, YS_HCI_READ_FEATURES, "00 00 00 00 40 00 00 00");
    complete(&scripted, YS_HCI_LE_READ_FEATURES, "00 00 00 00 00 00 00 00");
    complete(&scripted, YS_HCI_SET_EVENT_MASK, "");
    complete(&scripted, YS_HCI_LE_SET_EVENT_MASK, "");
    forget_sent(&scripted);
    complete(&scripted, YS_HCI_LE_READ_BUFFER_SIZE, "0000 00");
    assert_sent(&scripted, "01 0510 00");
    complete(&scripted, YS_HCI_READ_BUFFER_SIZE, "1b00 40 0200 0000");
    complete(&scripted, YS_HCI_READ_ADDRESS, "01 02 03 04 05 06");
    complete(&scripted, YS_HCI_LE_SET_RANDOM_ADDRESS, "");
    connect_it(&scripted, 1, 1);
    forget_sent(&scripted);
    /* two buffers of 27 bytes hold a PDU of 50 bytes, so that is the MTU that the host offers */
    give_att(&scripted, 1, "02 0002");
    assert_att(&scripted, 1, "03 3200");
}

/* Each answer that makes a start fail, and what is then said. */
static void a_start_that_fails_names_its_step(void **state)
{
    static const struct {
        const char *answer;
        const char *step;
        uint8_t status;
    } cases[] = {
        {"04 0e 04 01 030c 0c", "Reset", 0x0c},
        {"04 0f 04 01 01 030c", "Reset", 0x01},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        setup(NULL);
        ys_host_start(&scripted.host);
        (void)turn(&scripted);
        give(&scripted, cases[i].answer);
        const struct ys_event *event = last_event(&scripted, YS_EVENT_START_FAILED);
        assert_string_equal(event->u.start.step, cases[i].step);
        assert_int_equal(event->u.start.status, cases[i].status);
        forget_sent(&scripted);
        assert_int_equal(turn(&scripted), YS_FOREVER);
        assert_sent(&scripted, "");
    }
}

/* Vol 4 Part E 7.4.3, 7.8.3. */
static void a_controller_without_le_is_named(void **state)
{
    (void)state;
    ys_host_start(&scripted.host);
    (void)turn(&scripted);
    complete(&scripted, YS_HCI_RESET, "");
    complete(&scripted, YS_HCI_READ_FEATURES, "ff ff ff ff bf ff ff ff");
    assert_string_equal(last_event(&scripted, YS_EVENT_START_FAILED)->u.start.step,
                        "the controller does not support LE");
    assert_int_equal(count_events(&scripted, YS_EVENT_START_FAILED), 1);
}

static void a_controller_that_is_silent_is_given_up(void **state)
{
    (void)state;
    ys_host_start(&scripted.host);
    assert_int_equal(turn(&scripted), YS_COMMAND_TIMEOUT_MS);
    scripted.now_ms += YS_COMMAND_TIMEOUT_MS - 1;
    assert_int_equal(turn(&scripted), 1);
    assert_int_equal(scripted.event_count, 0);
    scripted.now_ms += 1;
    (void)turn(&scripted);
    const struct ys_event *event = last_event(&scripted, YS_EVENT_START_FAILED);
    assert_string_equal(event->u.start.step, "Reset");
    assert_int_equal(event->u.start.status, YS_HCI_TIMEOUT);
}

static void a_failed_start_can_be_tried_again(void **state)
{
    (void)state;
    ys_host_start(&scripted.host);
    (void)turn(&scripted);
    give(&scripted, "04 0e 04 01 030c 0c");
    forget_sent(&scripted);
    scripted_start(&scripted, 251, 8);
    assert_int_equal(count_events(&scripted, YS_EVENT_READY), 1);
}

/* Vol 4 Part E 4.4. */
static void commands_wait_for_the_controllers_credit(void **state)
{
    static const struct ys_scanning scanning = {.interval_us = 60000, .window_us = 30000, .active = true};
    (void)state;
    scripted_start(&scripted, 251, 8);
    assert_int_equal(ys_scan(&scripted.host, &scanning), YS_OK);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 0b20 07 01 6000 3000 01 00");
    give(&scripted, "04 0e 04 00 0b20 00"); /* done, but no credit for another */
    assert_sent(&scripted, "");
    assert_int_equal(turn(&scripted), YS_FOREVER);
    give(&scripted, "04 0e 03 01 0000"); /* now there is */
    assert_sent(&scripted, "01 0c20 02 01 00");
}

static void calls_before_the_start_are_refused(void **state)
{
    static const struct ys_advertising advertising = {.interval_min_us = 100000, .interval_max_us = 100000};
    static const struct ys_scanning scanning = {.interval_us = 60000, .window_us = 30000};
    static const struct ys_connecting connecting = {.interval_us = 30000, .supervision_timeout_ms = 4000};
    static const struct ys_address peer = {.type = YS_ADDRESS_PUBLIC};
    struct ys_client_request request = {.on_done = NULL};
    (void)state;
    assert_int_equal(ys_advertise(&scripted.host, &advertising), YS_ERROR_NOT_READY);
    assert_int_equal(ys_advertise_stop(&scripted.host), YS_ERROR_NOT_READY);
    assert_int_equal(ys_scan(&scripted.host, &scanning), YS_ERROR_NOT_READY);
    assert_int_equal(ys_scan_stop(&scripted.host), YS_ERROR_NOT_READY);
    assert_int_equal(ys_connect(&scripted.host, &peer, &connecting), YS_ERROR_NOT_READY);
    assert_int_equal(ys_connect_cancel(&scripted.host), YS_ERROR_NOT_READY);
    assert_int_equal(ys_disconnect(&scripted.host, 1), YS_ERROR_NO_CONNECTION);
    assert_int_equal(ys_client_discover(&scripted.host, 1, &request), YS_ERROR_ARGUMENT);
    assert_int_equal(turn(&scripted), YS_FOREVER);
    assert_sent(&scripted, "");
}

/* Vol 4 Part E 7.7.16. */
static void a_hardware_error_ends_connections_and_is_told(void **state)
{
    (void)state;
    scripted_start(&scripted, 251, 8);
    connect_it(&scripted, 1, 1);
    give(&scripted, "04 10 01 42");
    assert_int_equal(last_event(&scripted, YS_EVENT_DISCONNECTED)->connection, 1);
    assert_string_equal(last_event(&scripted, YS_EVENT_CONTROLLER_FAILED)->u.start.step, "hardware error");
    scripted.event_count = 0;
    forget_sent(&scripted);
    scripted_start(&scripted, 251, 8);
}

/* Each is cut short, too long, or of no sense; none of them may do anything at all (Vol 4 Part E 5.4). */
static void malformed_packets_are_dropped(void **state)
{
    static const char *const packets[] = {
        "",
        "00",
        "05 01 02",
        "04",
        "04 0e",
        "04 0e 04 01 030c",
        "04 0e 02 01 03",
        "04 0e 05 01 030c 00",
        "04 0f 03 00 01 03",
        "04 05 03 00 0100",
        "04 13 01 01",
        "04 13 05 02 0100 0100",
        "04 3e 00",
        "04 3e 05 01 00 0000 00",
        "04 3e 02 02 01",
        "04 3e 0c 02 01 00 00 010203040506 1f 02",
        "04 3e 01 7f",
        "04 ff 02 0102",
        "02",
        "02 01 20",
        "02 0120 0500 0100",
        "02 0120 0700 0300 0400 0a0300",
        "02 ff2f 0700 0300 0400 0a0300",
        "03 0100 01 00",
        "01 030c 00",
    };
    (void)state;
    scripted_start(&scripted, 251, 8);
    size_t events = scripted.event_count;
    for (size_t i = 0; i < COUNT(packets); i++)
        give(&scripted, packets[i]);
    assert_int_equal(scripted.event_count, events);
    assert_sent(&scripted, "");
    give(&scripted, "04 3e 13 01 00 0100 01 00 010203040506 1800 0000 2a00 00"); /* and it still hears what is good */
    assert_int_equal(scripted.event_count, events + 1);
    assert_int_equal(scripted.events[events].kind, YS_EVENT_CONNECTED);
}

static bool interrupting;

static bool in_interrupt(void *context)
{
    (void)context;
    return interrupting;
}

static unsigned lines;

static void log_line(void *context, const char *text, uint32_t value)
{
    (void)context;
    (void)value;
    lines += strstr(text, "was called from") != NULL;
}

static void turn_inside(struct scripted *inside, const struct ys_event *event)
{
    if (event->kind == YS_EVENT_CONNECTED) {
        assert_true(ys_host_run(&inside->host) == YS_FOREVER);
        ys_host_start(&inside->host);
    }
}

/* In debug builds, as those under the sanitizers are. */
static void a_call_from_where_it_is_not_allowed_is_refused_and_named(void **state)
{
    static const struct ys_advertising advertising = {.interval_min_us = 100000, .interval_max_us = 100000};
    (void)state;
    if (!YS_DEBUG)
        skip();
    scripted_init(&scripted, &sample_table, values, NULL);
    scripted_start(&scripted, 251, 8);
    scripted.port.in_interrupt = in_interrupt;
    scripted.port.log = log_line;
    interrupting = true;
    assert_int_equal(ys_advertise(&scripted.host, &advertising), YS_ERROR_CONTEXT);
    assert_int_equal(ys_disconnect(&scripted.host, 1), YS_ERROR_CONTEXT);
    assert_int_equal(ys_answer(&scripted.host, 1, 0, NULL, 0), YS_ERROR_CONTEXT);
    assert_true(ys_host_run(&scripted.host) == YS_FOREVER);
    ys_host_changed(&scripted.host, 8); /* this is what interrupts may call */
    assert_int_equal(lines, 4);
    interrupting = false;
    assert_int_equal(ys_advertise(&scripted.host, &advertising), YS_OK);
    scripted.on_event = turn_inside;
    connect_it(&scripted, 0x0040, 1);
    assert_int_equal(lines, 6);
    assert_int_equal(ys_host_mtu(&scripted.host, 0x0040), 23); /* and all goes on */
}

static char named[200];

static void note_line(void *context, const char *text, uint32_t value)
{
    (void)context;
    (void)value;
    if (strstr(text, "call ys_host_use_") != NULL)
        (void)snprintf(named, sizeof named, "%s", text);
}

/* The same. */
static void what_a_definition_needs_and_has_not_is_named(void **state)
{
    static const struct ys_set_options options = {.extended = true};
    struct ys_advertising advertising = {
        .interval_min_us = 100000, .interval_max_us = 100000, .options = &options, .kind = YS_ADVERTISE_BEACON};
    struct ys_table table = sample_table;
    (void)state;
    if (!YS_DEBUG)
        skip();
    for (table.key_size = 0; table.key_size <= 16; table.key_size = (uint8_t)(table.key_size + 16)) {
        scripted_init(&scripted, &table, values, NULL);
        scripted.port.log = note_line;
        named[0] = '\0';
        scripted_start(&scripted, 251, 8);
        assert_int_equal(strstr(named, "ys_host_use_pairing") != NULL, table.key_size > 0);
    }
    assert_int_equal(ys_advertise(&scripted.host, &advertising), YS_ERROR_UNSUPPORTED);
    assert_non_null(strstr(named, "ys_host_use_sets"));
}

/* A host that uses no sets knows no options, also of what is on the air. */
static void another_payload_with_options_needs_sets(void **state)
{
    static const struct ys_set_options options = {.extended = true};
    static const struct ys_advertising plain = {.interval_min_us = 100000, .interval_max_us = 100000};
    struct ys_advertising advertising = plain;
    (void)state;
    assert_int_equal(ys_advertise_payload(&scripted.host, 0, &plain), YS_ERROR_NOT_READY);
    scripted_start(&scripted, 251, 8);
    advertising.options = &options;
    assert_int_equal(ys_advertise_payload(&scripted.host, 0, &advertising), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_advertise(&scripted.host, &plain), YS_OK);
    assert_int_equal(ys_advertise_payload(&scripted.host, 0, &advertising), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_advertise_payload(&scripted.host, 0, &plain), YS_OK);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_call_from_where_it_is_not_allowed_is_refused_and_named),
        cmocka_unit_test(what_a_definition_needs_and_has_not_is_named),
        cmocka_unit_test_setup(another_payload_with_options_needs_sets, setup),
        cmocka_unit_test_setup(init_names_what_is_missing, setup),
        cmocka_unit_test_setup(the_start_goes_in_order_one_command_at_a_time, setup),
        cmocka_unit_test_setup(shared_buffers_are_asked_for_when_le_has_none, setup),
        cmocka_unit_test_setup(a_start_that_fails_names_its_step, setup),
        cmocka_unit_test_setup(a_controller_without_le_is_named, setup),
        cmocka_unit_test_setup(a_controller_that_is_silent_is_given_up, setup),
        cmocka_unit_test_setup(a_failed_start_can_be_tried_again, setup),
        cmocka_unit_test_setup(commands_wait_for_the_controllers_credit, setup),
        cmocka_unit_test_setup(calls_before_the_start_are_refused, setup),
        cmocka_unit_test_setup(a_hardware_error_ends_connections_and_is_told, setup),
        cmocka_unit_test_setup(malformed_packets_are_dropped, setup),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
