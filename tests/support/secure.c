/* Two hosts that pair. */
#include "support/secure.h"

#include <string.h>

#include "support/check.h"

/* What people do once they are asked. */
static void answer(struct party *party)
{
    uint32_t shown = party->other->shown;
    if (!party->wanted ||
        (party->people != PEOPLE_CANCEL && party->people != PEOPLE_OBEY && party->people != PEOPLE_MISTAKE))
        return;
    party->wanted = false;
    if (party->people == PEOPLE_CANCEL)
        (void)ys_pairing_cancel(&party->host, party->connection);
    else
        (void)ys_passkey_enter(&party->host, party->connection,
                               party->people == PEOPLE_OBEY ? shown : (shown + 1) % (YS_PASSKEY_MAX + 1));
}

static void compare(struct party *party, uint32_t number)
{
    party->shown = number;
    if (party->people == PEOPLE_CANCEL)
        (void)ys_pairing_cancel(&party->host, party->connection);
    else if (party->people != PEOPLE_SILENT)
        (void)ys_number_confirm(&party->host, party->connection, party->people == PEOPLE_OBEY);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct party *party = (struct party *)host; /* its first member */
    (void)context;
    party->counts[event->kind]++;
    switch (event->kind) {
    case YS_EVENT_CONNECTED:
        party->connection = event->connection;
        party->connected = true;
        party->peer = event->u.connected.peer;
        break;
    case YS_EVENT_DISCONNECTED:
        party->connected = false;
        party->reason = event->reason;
        break;
    case YS_EVENT_PASSKEY_SHOW:
        party->shown = event->u.passkey;
        break;
    case YS_EVENT_PASSKEY_WANTED:
        party->wanted = true;
        break;
    case YS_EVENT_NUMBER_COMPARE:
        compare(party, event->u.passkey);
        break;
    case YS_EVENT_SECURED:
        party->secured = *event;
        break;
    case YS_EVENT_PAIRING_FAILED:
        party->failed = *event;
        break;
    case YS_EVENT_ENCRYPTION_FAILED:
        party->reason = event->reason;
        break;
    case YS_EVENT_BOND:
        party->bond = *event;
        break;
    case YS_EVENT_OOB_READY:
        party->oob = *event->u.oob;
        break;
    case YS_EVENT_NOTIFICATION:
        party->notified++;
        party->length = event->u.notification.length;
        memcpy(party->value, event->u.notification.value, party->length);
        break;
    default:
        break;
    }
}

static void start(struct party *party, const struct ys_table *table, uint16_t mtu, bool pairs)
{
    const struct ys_host_settings settings = {
        .port = ys_simulated_port(party->simulated),
        .table = table,
        .values = party->values,
        .context = party,
        .on_event = on_event,
        .address_type = YS_OWN_STATIC,
        .address = party->address.bytes,
        .mtu = mtu,
    };
    assert_int_equal(ys_host_init(&party->host, sizeof party->host, &settings), YS_OK);
    if (pairs)
        assert_int_equal(ys_host_use_pairing(&party->host, &party->pairing, &party->security), YS_OK);
    ys_simulated_attach(party->simulated, &party->host, ys_host_run);
    ys_host_start(&party->host);
}

static void make(struct yard *yard, struct party *party, uint16_t number)
{
    party->number = number;
    party->address =
        (struct ys_address){YS_ADDRESS_RANDOM, {(uint8_t)number, (uint8_t)yard->seed, 0x10, 0x5e, 0, 0xc2}};
    if (number == 1)
        party->address.bytes[1] = 0;
    party->simulated = ys_simulated_new(
        yard->radio, &(struct ys_simulated_settings){.number = number,
                                                     .seed = yard->seed,
                                                     .store = party->store,
                                                     .observe = yard->observe,
                                                     .curve_ms = (uint16_t)(number == yard->slow ? 60000 : 20),
                                                     .no_curve = yard->legacy,
                                                     .context = party});
    assert_non_null(party->simulated);
    start(party, number == 1 ? yard->table : &ys_table_bare, yard->mtu, number != yard->raw);
    yard_pass(yard, 1);
    assert_int_equal(party->counts[YS_EVENT_READY], 1);
}

static void advertise(struct party *party)
{
    static const struct ys_advertising advertising = {.interval_min_us = 30000, .interval_max_us = 30000};
    assert_int_equal(ys_advertise(&party->host, &advertising), YS_OK);
}

void yard_begin(struct yard *yard, const struct ys_security *wrench, const struct ys_security *tablet)
{
    yard->clock = ys_clock_new();
    yard->radio = ys_radio_new(yard->clock);
    if (yard->table == NULL)
        yard->table = &ys_table_bare;
    yard->wrench = (struct party){.security = *wrench, .other = &yard->tablet};
    yard->tablet = (struct party){.security = *tablet, .other = &yard->wrench};
    yard->wrench.store = ys_store_new(4096);
    yard->tablet.store = ys_store_new(4096);
    make(yard, &yard->wrench, 1);
    make(yard, &yard->tablet, 2);
    advertise(&yard->wrench);
}

void yard_end(struct yard *yard)
{
    ys_simulated_free(yard->wrench.simulated);
    ys_simulated_free(yard->tablet.simulated);
    ys_store_free(yard->wrench.store);
    ys_store_free(yard->tablet.store);
    ys_radio_free(yard->radio);
    ys_clock_free(yard->clock);
}

void yard_pass(struct yard *yard, uint64_t ms)
{
    ys_clock_run(yard->clock, ys_clock_now_ns(yard->clock) + ms * YS_NS_PER_MS);
}

bool yard_try_connect(struct yard *yard)
{
    const struct ys_connecting connecting = {.interval_us = 7500, .supervision_timeout_ms = 1000};
    struct ys_address peer;
    if (!ys_simulated_made(yard->wrench.simulated, &peer))
        peer = ys_host_address(&yard->wrench.host);
    if (ys_connect(&yard->tablet.host, &peer, &connecting) != YS_OK)
        return false;
    for (int i = 0; i < 500 && !(yard->tablet.connected && yard->wrench.connected); i++)
        yard_pass(yard, 10);
    yard_pass(yard, 50);
    return yard->tablet.connected && yard->wrench.connected;
}

void yard_connect(struct yard *yard)
{
    assert_true(yard_try_connect(yard));
}

void yard_disconnect(struct yard *yard)
{
    (void)ys_disconnect(&yard->tablet.host, yard->tablet.connection);
    for (int i = 0; i < 200 && (yard->tablet.connected || yard->wrench.connected); i++)
        yard_pass(yard, 10);
    assert_false(yard->tablet.connected || yard->wrench.connected);
}

void yard_restart(struct yard *yard, struct party *party)
{
    struct party kept = *party;
    ys_simulated_free(party->simulated);
    *party = (struct party){.security = kept.security, .other = kept.other, .store = kept.store, .people = kept.people};
    make(yard, party, kept.number);
    if (party == &yard->wrench)
        advertise(party);
}

void yard_answer(struct yard *yard)
{
    answer(&yard->wrench);
    answer(&yard->tablet);
}

void yard_settle(struct yard *yard)
{
    size_t before = yard->tablet.counts[YS_EVENT_SECURED] + yard->tablet.counts[YS_EVENT_PAIRING_FAILED] +
                    yard->tablet.counts[YS_EVENT_ENCRYPTION_FAILED];
    size_t now = before;
    for (int i = 0; i < 400 && now == before && yard->tablet.connected; i++) {
        yard_pass(yard, 10);
        yard_answer(yard);
        now = yard->tablet.counts[YS_EVENT_SECURED] + yard->tablet.counts[YS_EVENT_PAIRING_FAILED] +
              yard->tablet.counts[YS_EVENT_ENCRYPTION_FAILED];
    }
    yard_pass(yard, 100);
}

void yard_secure(struct yard *yard, uint8_t level)
{
    if (ys_secure(&yard->tablet.host, yard->tablet.connection, level) == YS_OK)
        yard_settle(yard);
}
