/* How often peers have the store written: eleven ways to behave, and the most that each may cost. */
#include "support/check.h"

#include <yarnswift/client.h>

#include "support/secure.h"

#define OPEN YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_OPEN, YS_RIGHT_OPEN)
#define READ YS_RIGHTS(YS_RIGHT_OPEN, YS_RIGHT_NONE, YS_RIGHT_NONE)

/* handles of the client configurations */
#define CHANGED 4
#define FIRST   10
#define SECOND  13

static const uint8_t bytes[4];
static const struct ys_value values[] = {
    {NULL, NULL, bytes, 4, 0, 0}, {NULL, NULL, bytes, 2, YS_NONE, 1}, {NULL, NULL, bytes, 2, YS_NONE, 2}};
static const struct ys_attribute attributes[] = {
    {0x1801, YS_ATTRIBUTE_SERVICE, 0, READ, 6, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x20, READ, 5, NULL},
    {0x2a05, YS_ATTRIBUTE_VALUE, 0, YS_RIGHTS(YS_RIGHT_NONE, YS_RIGHT_NONE, YS_RIGHT_OPEN), 4, &values[0]},
    {0, YS_ATTRIBUTE_CONFIGURATION, 0, OPEN, 2, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x0a, READ, 5, NULL},
    {0x2b29, YS_ATTRIBUTE_FEATURES, 0, OPEN, 1, NULL},
    {0x180f, YS_ATTRIBUTE_SERVICE, 0, READ, 13, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x12, READ, 5, NULL},
    {0x2a19, YS_ATTRIBUTE_VALUE, 0, OPEN, 2, &values[1]},
    {1, YS_ATTRIBUTE_CONFIGURATION, 0, OPEN, 2, NULL},
    {0, YS_ATTRIBUTE_CHARACTERISTIC, 0x12, READ, 5, NULL},
    {0x2a1a, YS_ATTRIBUTE_VALUE, 0, OPEN, 2, &values[2]},
    {2, YS_ATTRIBUTE_CONFIGURATION, 0, OPEN, 2, NULL},
};
static const struct ys_notifiable notifiables[] = {{3, 0}, {9, 0}, {12, 0}};
static const struct ys_table table = {.attributes = attributes,
                                      .notifiables = notifiables,
                                      .attribute_count = COUNT(attributes),
                                      .notifiable_count = COUNT(notifiables),
                                      .values_size = 16};
static const struct ys_security security = {.capability = YS_CAPABILITY_NONE,
                                            .least = YS_LEVEL_ENCRYPTED,
                                            .key_size_min = 7,
                                            .key_size_max = 16,
                                            .bonds = 3,
                                            .forgets = true,
                                            .passkey = YS_PASSKEY_RANDOM};

static struct yard yard;

/* behaviours of a client that is remembered */

static void on_done(struct ys_client_request *request)
{
    *(bool *)request->context = true;
}

static void configure(uint16_t handle, uint8_t configuration)
{
    const uint8_t value[] = {configuration, 0};
    bool done = false;
    struct ys_client_request request = {.on_done = on_done, .context = &done};
    assert_int_equal(ys_client_write(&yard.tablet.host, yard.tablet.connection, &request, handle, value, sizeof value),
                     YS_OK);
    for (int i = 0; i < 100 && !done; i++)
        yard_pass(&yard, 10);
    assert_int_equal(request.outcome, YS_OUTCOME_DONE);
}

static void come_back(void)
{
    yard_disconnect(&yard);
    yard_pass(&yard, 1000);
    yard_connect(&yard);
    yard_secure(&yard, YS_LEVEL_ENCRYPTED);
}

static void do_nothing(void)
{
}

static void subscribe_to_three(void)
{
    configure(FIRST, YS_SUBSCRIBE_NOTIFICATIONS);
    configure(SECOND, YS_SUBSCRIBE_NOTIFICATIONS);
    configure(CHANGED, YS_SUBSCRIBE_INDICATIONS);
}

static void say_the_same(void)
{
    for (int i = 0; i < 1000; i++)
        configure(FIRST, YS_SUBSCRIBE_NOTIFICATIONS);
}

static void switch_on_and_off(void)
{
    for (int i = 0; i < 1000; i++)
        configure(FIRST, i % 2 == 0 ? YS_SUBSCRIBE_NOTIFICATIONS : YS_SUBSCRIBE_NONE);
}

static void switch_slowly(void)
{
    for (int i = 0; i < 60; i++) {
        configure(FIRST, i % 2 == 0 ? YS_SUBSCRIBE_NOTIFICATIONS : YS_SUBSCRIBE_NONE);
        yard_pass(&yard, 5000);
    }
}

static void come_back_often(void)
{
    configure(FIRST, YS_SUBSCRIBE_NOTIFICATIONS);
    for (int i = 0; i < 20; i++)
        come_back();
}

static void subscribe_each_time(void)
{
    configure(FIRST, YS_SUBSCRIBE_NOTIFICATIONS);
    for (int i = 0; i < 20; i++) {
        come_back();
        configure(FIRST, YS_SUBSCRIBE_NOTIFICATIONS);
        configure(SECOND, YS_SUBSCRIBE_NOTIFICATIONS);
    }
}

static void unsubscribe_each_time(void)
{
    configure(FIRST, YS_SUBSCRIBE_NOTIFICATIONS);
    for (int i = 0; i < 20; i++) {
        configure(FIRST, YS_SUBSCRIBE_NONE);
        configure(FIRST, YS_SUBSCRIBE_NOTIFICATIONS);
        come_back();
    }
}

static void be_told_of_changes(void)
{
    configure(CHANGED, YS_SUBSCRIBE_INDICATIONS);
    for (int i = 0; i < 10; i++) {
        assert_int_equal(ys_host_services_changed(&yard.wrench.host, 7, COUNT(attributes)), YS_OK);
        yard_pass(&yard, 3000);
    }
}

static void be_away_while_it_changes(void)
{
    configure(CHANGED, YS_SUBSCRIBE_INDICATIONS);
    yard_disconnect(&yard);
    for (int i = 0; i < 10; i++)
        assert_int_equal(ys_host_services_changed(&yard.wrench.host, 7, COUNT(attributes)), YS_OK);
}

/* Somebody else each time, with the address and the store of its own. */
static void pair_as_strangers(void)
{
    yard_disconnect(&yard);
    for (unsigned i = 0; i < 100; i++) {
        struct ys_store *used = yard.tablet.store;
        yard.tablet.store = ys_store_new(4096);
        ys_store_free(used);
        yard.seed = 300 + i;
        yard_restart(&yard, &yard.tablet);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        yard_disconnect(&yard);
    }
}

/* Half a minute is the longest of them but for the slow one, which takes five. */
static void what_peers_do_writes_the_store_no_more_than_this(void **state)
{
    static const struct {
        const char *name;
        void (*behave)(void);
        size_t least;
        size_t most;
    } cases[] = {
        {"nothing", do_nothing, 0, 0},
        {"subscribes to three values", subscribe_to_three, 1, 1},
        {"writes a configuration 1,000 times, always the same", say_the_same, 1, 2},
        {"switches it on and off 1,000 times", switch_on_and_off, 0, 21},
        {"switches it every 5 s", switch_slowly, 16, 21},
        {"comes back 20 times", come_back_often, 1, 1},
        {"comes back, and subscribes again each time", subscribe_each_time, 1, 2},
        {"unsubscribes and subscribes before it goes, 20 times", unsubscribe_each_time, 1, 2},
        {"is told 10 times that the table has changed", be_told_of_changes, 1, 1},
        {"is away while it changes 10 times", be_away_while_it_changes, 2, 2},
        {"strangers pair 100 times", pair_as_strangers, 16, 34}, /* who was forgotten for another is deleted as well */
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        yard = (struct yard){.seed = 9, .table = &table};
        yard_begin(&yard, &security, &security);
        yard_connect(&yard);
        yard_secure(&yard, YS_LEVEL_ENCRYPTED);
        yard_pass(&yard, 150000); /* what this took has been earned again */
        size_t before = ys_store_changes(yard.wrench.store);
        cases[i].behave();
        yard_pass(&yard, 5000);
        size_t written = ys_store_changes(yard.wrench.store) - before;
        print_message("%-54s %2zu\n", cases[i].name, written);
        assert_in_range(written, cases[i].least, cases[i].most);
        yard_end(&yard);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(what_peers_do_writes_the_store_no_more_than_this),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
