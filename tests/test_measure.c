/* What is measured from the air: packets that are known to the nanosecond, and numbers that follow from them. */
#include "support/check.h"

#include <string.h>

#include "measure/advertising.h"
#include "measure/discovery.h"
#include "measure/link_meter.h"
#include "measure/samples.h"
#include "measure/scanner.h"
#include "measure/stream.h"
#include "measure/throughput.h"
#include "wire/extended.h"
#include "wire/link.h"

#define US UINT64_C(1000)
#define MS UINT64_C(1000000)

static void assert_near(double is, double wanted)
{
    double apart = is > wanted ? is - wanted : wanted - is;
    if (apart > 1e-9 * (wanted > 1 ? wanted : 1))
        fail_msg("%.12g, and %.12g was expected", is, wanted);
}

static void samples_are_what_their_definitions_say(void **state)
{
    (void)state;
    struct ys_samples samples = {.count = 0};
    assert_near(ys_samples_mean(&samples), 0);
    assert_near(ys_samples_quantile(&samples, 0.5), 0);
    assert_int_equal(ys_samples_within(&samples, 1), 0);
    ys_samples_add(&samples, 9);
    assert_near(ys_samples_mean(&samples), 9);
    ys_samples_add(&samples, 2);
    ys_samples_add(&samples, 1);
    ys_samples_add(&samples, 4);
    assert_near(ys_samples_mean(&samples), 4);
    assert_near(ys_samples_quantile(&samples, 0), 1);
    assert_near(ys_samples_quantile(&samples, 0.25), 1);
    assert_near(ys_samples_quantile(&samples, 0.26), 2);
    assert_near(ys_samples_quantile(&samples, 0.5), 2);
    assert_near(ys_samples_quantile(&samples, 1), 9);
    assert_int_equal(ys_samples_within(&samples, 0.5), 0);
    assert_int_equal(ys_samples_within(&samples, 1), 1);
    assert_int_equal(ys_samples_within(&samples, 3), 2);
    assert_int_equal(ys_samples_within(&samples, 9), 4);
    for (int i = 0; i < 1000; i++) /* beyond its first memory, and not sorted any more */
        ys_samples_add(&samples, -i);
    assert_near(ys_samples_quantile(&samples, 0), -999);
    assert_near(ys_samples_quantile(&samples, 1), 9);
    assert_int_equal(ys_samples_within(&samples, -1), 999);
    ys_samples_free(&samples);
    assert_int_equal(samples.count, 0);
}

static void the_first_value_of_a_stream_begins_its_time(void **state)
{
    (void)state;
    struct ys_stream_meter meter = {.count = 0};
    assert_near(ys_stream_meter_rate_hz(&meter), 0);
    ys_stream_meter_take(&meter, 5000 * MS, 100);
    assert_near(ys_stream_meter_rate_hz(&meter), 0);
    assert_near(ys_stream_meter_goodput_bps(&meter), 0);
    ys_stream_meter_take(&meter, 5000 * MS, 100); /* parallel: no rate */
    assert_near(ys_stream_meter_rate_hz(&meter), 0);
    ys_stream_meter_take(&meter, 5000 * MS + 1, 10);
    assert_near(ys_stream_meter_rate_hz(&meter), 2e9);
    ys_stream_meter_take(&meter, 7000 * MS, 40);
    assert_int_equal(meter.count, 4);
    assert_int_equal(meter.bytes, 250);
    assert_near(ys_stream_meter_rate_hz(&meter), 1.5);
    assert_near(ys_stream_meter_goodput_bps(&meter), 600);
}

/* a packet of a connection: its time on LE 1M follows from its length */
static struct ys_air_packet of_link(uint64_t start_ns, enum ys_air_side side, uint8_t kind, bool sequence,
                                    uint8_t length)
{
    static const uint8_t payload[251] = {0x02, 0x13};
    struct ys_air_packet packet = {.start_ns = start_ns, .access_address = 0x50655dab, .crc_good = true, .side = side};
    struct ys_writer writer = ys_writer_to(packet.pdu, sizeof packet.pdu);
    ys_put_link_data(&writer,
                     &(struct ys_link_data){.kind = kind, .sequence = sequence, .length = length, .payload = payload});
    packet.length = (uint16_t)ys_writer_stored(&writer);
    packet.duration_ns = ys_link_duration_ns(YS_PHY_1M, packet.length);
    return packet;
}

static void take(struct ys_link_meter *meter, struct ys_air_packet packet)
{
    ys_link_meter_take(meter, &packet);
}

static void a_link_is_counted_by_its_sides_and_its_events(void **state)
{
    (void)state;
    struct ys_link_meter meter = {.access_address = 0x50655dab};
    take(&meter, of_link(0, YS_AIR_PERIPHERAL, YS_LINK_FIRST, false, 20)); /* the begin of its event was not seen */
    assert_int_equal(meter.events, 0);
    assert_int_equal(meter.sides[1].packets, 0);

    /* an event: empty, data, the same again */
    uint64_t at = 10 * MS;
    take(&meter, of_link(at, YS_AIR_CENTRAL, YS_LINK_CONTINUING, false, 0)); /* 80 us */
    assert_near(ys_link_meter_used(&meter, 10000), 0);
    take(&meter, of_link(at + 230 * US, YS_AIR_PERIPHERAL, YS_LINK_FIRST, false, 20)); /* 240 us */
    take(&meter, of_link(at + 620 * US, YS_AIR_CENTRAL, YS_LINK_CONTINUING, true, 0));
    take(&meter, of_link(at + 850 * US, YS_AIR_PERIPHERAL, YS_LINK_FIRST, false, 20)); /* to 1,090 us */
    assert_int_equal(meter.events, 1);

    /* the next: a control PDU each, and one whose central is 4 us late, which is still the same event */
    at = 20 * MS;
    take(&meter, of_link(at, YS_AIR_CENTRAL, YS_LINK_CONTROL, true, 2));               /* again, and no data */
    take(&meter, of_link(at + 246 * US, YS_AIR_PERIPHERAL, YS_LINK_CONTROL, true, 2)); /* 96 us */
    take(&meter, of_link(at + 496 * US, YS_AIR_CENTRAL, YS_LINK_FIRST, false, 10));    /* 154 us after it */
    take(&meter, of_link(at + 496 * US + 310 * US, YS_AIR_PERIPHERAL, YS_LINK_CONTINUING, false, 0));
    assert_int_equal(meter.events, 2);
    struct ys_air_packet other = of_link(at + 1000 * US, YS_AIR_CENTRAL, YS_LINK_FIRST, true, 27);
    other.access_address++;
    take(&meter, other);
    other = of_link(at + 1000 * US, YS_AIR_CENTRAL, YS_LINK_FIRST, true, 27);
    other.length--; /* malformed */
    take(&meter, other);

    assert_int_equal(meter.sides[0].packets, 4);
    assert_int_equal(meter.sides[0].data_packets, 1);
    assert_int_equal(meter.sides[0].retransmissions, 0);
    assert_int_equal(meter.sides[0].on_air_ns, (80 + 80 + 96 + 160) * US);
    assert_int_equal(meter.sides[1].packets, 4);
    assert_int_equal(meter.sides[1].data_packets, 2);
    assert_int_equal(meter.sides[1].retransmissions, 1);
    assert_int_equal(meter.sides[1].on_air_ns, (240 + 240 + 96 + 80) * US);
    assert_int_equal(meter.last_ns, at + (496 + 310 + 80) * US);
    assert_int_equal(meter.events_ns, (1090 + 886) * US);
    assert_near(ys_link_meter_used(&meter, 10000), 1.976 / 20);

    /* 155 us after the last one: a new event */
    take(&meter, of_link(meter.last_ns + 155 * US, YS_AIR_CENTRAL, YS_LINK_CONTINUING, true, 0));
    assert_int_equal(meter.events, 3);
}

static const struct ys_address advertiser = {YS_ADDRESS_RANDOM, {1, 2, 3, 4, 5, 0xc6}};
static const struct ys_address stranger = {YS_ADDRESS_RANDOM, {9, 9, 9, 9, 9, 0xc9}};

static struct ys_air_packet advertised(uint64_t start_ns, uint8_t channel, enum ys_phy phy, struct ys_writer *writer,
                                       struct ys_air_packet *packet)
{
    packet->start_ns = start_ns;
    packet->channel = channel;
    packet->phy = phy;
    packet->access_address = YS_LINK_ADVERTISING_ACCESS_ADDRESS;
    packet->crc_good = true;
    packet->length = (uint16_t)ys_writer_stored(writer);
    packet->duration_ns = ys_link_duration_ns(phy, packet->length);
    return *packet;
}

static struct ys_air_packet legacy(uint64_t start_ns, uint8_t channel, uint8_t type, const struct ys_address *sender,
                                   const struct ys_address *target)
{
    struct ys_air_packet packet = {.start_ns = 0};
    struct ys_writer writer = ys_writer_to(packet.pdu, sizeof packet.pdu);
    ys_put_link_advertising(&writer, &(struct ys_link_advertising){.type = type, .sender = *sender, .target = *target});
    return advertised(start_ns, channel, YS_PHY_1M, &writer, &packet);
}

static struct ys_air_packet extended(uint64_t start_ns, uint8_t channel, const struct ys_link_extended *pdu)
{
    struct ys_air_packet packet = {.start_ns = 0};
    struct ys_writer writer = ys_writer_to(packet.pdu, sizeof packet.pdu);
    ys_put_link_extended(&writer, pdu);
    return advertised(start_ns, channel, channel < 37 ? YS_PHY_2M : YS_PHY_1M, &writer, &packet);
}

static void watch(struct ys_advertising_meter *meter, struct ys_air_packet packet)
{
    ys_advertising_meter_take(meter, &packet);
}

#define ADV_NS (128 * US) /* no data: 16 bytes with all that frames them */
#define REQ_NS (176 * US)

static void legacy_advertising_is_measured_to_the_packet(void **state)
{
    (void)state;
    const struct ys_address none = {.type = 0};
    struct ys_advertising_meter meter = {.advertiser = advertiser, .interval_max_ns = 100 * MS};
    uint64_t at = 50 * MS;
    watch(&meter, legacy(at, 37, YS_LINK_ADV_IND, &advertiser, &none));
    watch(&meter, legacy(at + 500 * US, 38, YS_LINK_ADV_IND, &advertiser, &none));
    watch(&meter, legacy(at + 1100 * US, 39, YS_LINK_ADV_IND, &advertiser, &none));
    /* others, and what arrived wrong */
    watch(&meter, legacy(at + 1500 * US, 37, YS_LINK_ADV_IND, &stranger, &none));
    watch(&meter, legacy(at + 1500 * US, 37, YS_LINK_SCAN_REQ, &stranger, &stranger));
    struct ys_air_packet wrong = legacy(at + 2000 * US, 37, YS_LINK_ADV_IND, &advertiser, &none);
    wrong.crc_good = false;
    watch(&meter, wrong);
    wrong.crc_good = true;
    wrong.access_address ^= 1;
    watch(&meter, wrong);
    assert_int_equal(meter.events, 1);
    assert_int_equal(meter.spacings, 2);
    assert_int_equal(meter.spacing_min_ns, 500 * US);
    assert_int_equal(meter.spacing_max_ns, 600 * US);

    /* an event with a request and its answer: the next packet is later, which says nothing of the spacing */
    at = 153 * MS;
    watch(&meter, legacy(at, 37, YS_LINK_ADV_IND, &advertiser, &none));
    watch(&meter, legacy(at + 278 * US, 37, YS_LINK_SCAN_REQ, &stranger, &advertiser));
    watch(&meter, legacy(at + 604 * US, 37, YS_LINK_SCAN_RSP, &advertiser, &none));
    watch(&meter, legacy(at + 1500 * US, 38, YS_LINK_ADV_IND, &advertiser, &none));
    watch(&meter, legacy(at + 1900 * US, 39, YS_LINK_ADV_NONCONN_IND, &advertiser, &none));
    assert_int_equal(meter.events, 2);
    assert_int_equal(meter.spacings, 3);
    assert_int_equal(meter.spacing_min_ns, 400 * US);
    assert_int_equal(meter.spacing_max_ns, 600 * US);
    assert_int_equal(meter.intervals_ms.count, 1);
    assert_near(meter.intervals_ms.values[0], 103);
    assert_int_equal(meter.packets[YS_LINK_ADV_IND], 5);
    assert_int_equal(meter.packets[YS_LINK_ADV_NONCONN_IND], 1);
    assert_int_equal(meter.requests, 1);
    assert_int_equal(meter.responses, 1);
    assert_int_equal(meter.listens, 5);
    assert_int_equal(meter.on_air_ns, 7 * ADV_NS);
    assert_int_equal(meter.silence_ns, (103 - 1) * MS - 100 * US - ADV_NS);
    assert_int_equal(meter.silence_from_ns, 51 * MS + 100 * US + ADV_NS);
    assert_int_equal(meter.silence, YS_SILENCE_EVENTS);

    /* a connection: no interval runs over it, and it explains the silence */
    watch(&meter, legacy(at + 2200 * US, 39, YS_LINK_CONNECT_IND, &stranger, &advertiser));
    watch(&meter, legacy(900 * MS, 37, YS_LINK_ADV_DIRECT_IND, &advertiser, &stranger));
    assert_int_equal(meter.events, 3);
    assert_int_equal(meter.intervals_ms.count, 1);
    assert_int_equal(meter.silence, YS_SILENCE_CONNECTED);
    assert_int_equal(meter.silence_ns, 900 * MS - (at + 1900 * US + ADV_NS));
    /* from 37 to 37 is another event, however soon; so is 38 after 20 ms */
    watch(&meter, legacy(905 * MS, 37, YS_LINK_ADV_SCAN_IND, &advertiser, &none));
    watch(&meter, legacy(925 * MS, 38, YS_LINK_ADV_SCAN_IND, &advertiser, &none));
    assert_int_equal(meter.events, 5);
    assert_int_equal(meter.intervals_ms.count, 3);
    assert_int_equal(meter.spacings, 3);

    ys_advertising_meter_end(&meter, 925 * MS + ADV_NS + 110 * MS); /* an event may still have come */
    assert_int_equal(meter.silence, YS_SILENCE_CONNECTED);
    ys_advertising_meter_end(&meter, 2000 * MS);
    assert_int_equal(meter.silence, YS_SILENCE_STOPPED);
    assert_int_equal(meter.silence_ns, 1075 * MS - ADV_NS);
    ys_advertising_meter_free(&meter);
}

static const struct ys_link_extended nothing = {.type = YS_LINK_ADV_EXTENDED};

static struct ys_link_extended pointing(uint8_t channel, uint32_t offset_us, const struct ys_address *sender)
{
    struct ys_link_extended pdu = nothing;
    pdu.has_aux = true;
    pdu.aux = (struct ys_link_aux){.channel = channel, .phy = YS_PHY_2M, .offset_us = offset_us};
    pdu.has_sender = sender != NULL;
    if (sender != NULL)
        pdu.sender = *sender;
    return pdu;
}

/* three packets on the primary channels that point to the same place; returns how long they are on the air together */
static uint64_t primary(struct ys_advertising_meter *meter, uint64_t at, uint8_t channel)
{
    uint64_t on_air_ns = 0;
    for (unsigned i = 0; i < 3; i++) {
        struct ys_link_extended pdu = pointing(channel, 3000 - 600 * i - (i == 2 ? 30 : 0), NULL);
        struct ys_air_packet packet = extended(at + (600 * i + (i == 2 ? 30 : 0)) * US, (uint8_t)(37 + i), &pdu);
        on_air_ns += packet.duration_ns;
        ys_advertising_meter_take(meter, &packet);
    }
    return on_air_ns;
}

static void extended_advertising_is_measured_to_the_packet(void **state)
{
    (void)state;
    struct ys_advertising_meter meter = {.advertiser = advertiser, .interval_max_ns = 100 * MS};
    struct ys_link_extended pdu = pointing(11, 900, &advertiser);
    pdu.mode = YS_LINK_MODE_SCANNABLE;
    uint64_t at = 30 * MS;
    uint64_t on_air_ns = primary(&meter, at, 7);
    uint64_t primary_ns = on_air_ns;
    assert_int_equal(meter.events, 0); /* whose they are is not known yet */
    assert_int_equal(meter.on_air_ns, 0);
    struct ys_air_packet aux = extended(at + 3010 * US, 7, &pdu);
    watch(&meter, aux);
    on_air_ns += aux.duration_ns;
    assert_int_equal(meter.events, 1);
    assert_int_equal(meter.packets[YS_PACKET_EXT_IND], 3);
    assert_int_equal(meter.packets[YS_PACKET_AUX_ADV_IND], 1);
    assert_int_equal(meter.spacings, 2);
    assert_int_equal(meter.spacing_min_ns, 600 * US);
    assert_int_equal(meter.spacing_max_ns, 630 * US);
    assert_int_equal(meter.known_ns, 3010 * US + aux.duration_ns);
    assert_int_equal(meter.listens, 1);
    assert_int_equal(meter.on_air_ns, on_air_ns);

    /* a request and its answer, which goes on in a chain of two */
    uint64_t then = aux.start_ns + aux.duration_ns + 150 * US;
    struct ys_air_packet request = legacy(then, 7, YS_LINK_SCAN_REQ, &stranger, &advertiser);
    request.phy = YS_PHY_2M;
    request.duration_ns = ys_link_duration_ns(YS_PHY_2M, request.length);
    watch(&meter, request);
    then += request.duration_ns + 150 * US;
    pdu = pointing(12, 900, &advertiser);
    struct ys_air_packet answer = extended(then, 7, &pdu);
    watch(&meter, answer);
    pdu = pointing(13, 900, NULL);
    pdu.has_data_id = true;
    struct ys_air_packet chain = extended(then + 900 * US, 12, &pdu);
    watch(&meter, chain);
    struct ys_link_extended last = nothing;
    last.has_data_id = true;
    struct ys_air_packet end = extended(then + 1800 * US, 13, &last);
    watch(&meter, end);
    watch(&meter, extended(then + 1800 * US, 14, &last)); /* nobody pointed there */
    on_air_ns += answer.duration_ns + chain.duration_ns + end.duration_ns;
    assert_int_equal(meter.requests, 1);
    assert_int_equal(meter.responses, 1);
    assert_int_equal(meter.packets[YS_PACKET_AUX_SCAN_REQ], 1);
    assert_int_equal(meter.packets[YS_PACKET_AUX_SCAN_RSP], 1);
    assert_int_equal(meter.packets[YS_PACKET_AUX_CHAIN_IND], 2);
    assert_int_equal(meter.on_air_ns, on_air_ns);

    /* the next event has 40 others between its begin and its end; what is forgotten is theirs */
    at = 130 * MS;
    pdu = pointing(20, 2400, &stranger);
    for (uint8_t i = 0; i < 28; i++) {
        struct ys_link_extended theirs = pointing(i, 2400, NULL);
        if (i == 14)
            (void)primary(&meter, at, 30);
        watch(&meter, extended(at + i * 10 * US, 37, &theirs));
    }
    watch(&meter, extended(at + 2400 * US + 200 * US, 20, &pdu)); /* of the stranger: it is passed over */
    assert_int_equal(meter.events, 1);
    pdu = pointing(11, 900, &advertiser);
    pdu.mode = YS_LINK_MODE_CONNECTABLE;
    aux = extended(at + 3000 * US, 30, &pdu);
    watch(&meter, aux);
    on_air_ns += primary_ns + aux.duration_ns;
    assert_int_equal(meter.events, 2);
    assert_int_equal(meter.intervals_ms.count, 1);
    assert_near(meter.intervals_ms.values[0], 100);
    assert_int_equal(meter.spacings, 4);
    assert_int_equal(meter.on_air_ns, on_air_ns);
    assert_int_equal(meter.listens, 2);
    assert_int_equal(meter.silence_from_ns, 30 * MS + 1230 * US + primary_ns / 3);
    assert_int_equal(meter.silence_ns, at - meter.silence_from_ns);

    /* a connection, and an event long after it */
    then = aux.start_ns + aux.duration_ns + 150 * US;
    struct ys_air_packet connect = legacy(then, 30, YS_LINK_CONNECT_IND, &stranger, &advertiser);
    watch(&meter, connect);
    assert_int_equal(meter.packets[YS_PACKET_AUX_CONNECT_REQ], 1);
    pdu = nothing;
    pdu.type = YS_LINK_CONNECT_RSP;
    pdu.has_sender = true;
    pdu.sender = advertiser;
    answer = extended(then + connect.duration_ns + 150 * US, 30, &pdu);
    watch(&meter, answer);
    pdu.sender = stranger;
    watch(&meter, extended(then + connect.duration_ns + 150 * US, 30, &pdu));
    assert_int_equal(meter.packets[YS_PACKET_AUX_CONNECT_RSP], 1);
    assert_int_equal(meter.on_air_ns, on_air_ns + answer.duration_ns);
    (void)primary(&meter, 800 * MS, 5);
    pdu = pointing(11, 900, &advertiser);
    watch(&meter, extended(803 * MS, 5, &pdu));
    assert_int_equal(meter.events, 3);
    assert_int_equal(meter.intervals_ms.count, 1);
    assert_int_equal(meter.silence, YS_SILENCE_CONNECTED);
    ys_advertising_meter_free(&meter);
}

/* More is pointed to than there is room for: the oldest is forgotten. */
static void the_oldest_pointer_is_forgotten(void **state)
{
    (void)state;
    for (unsigned others = 30; others <= 33; others++) {
        struct ys_advertising_meter meter = {.advertiser = advertiser, .interval_max_ns = 100 * MS};
        struct ys_link_extended pdu = pointing(36, 30000, NULL);
        watch(&meter, extended(MS, 37, &pdu));
        for (unsigned i = 0; i < others; i++) {
            pdu = pointing((uint8_t)i, 30000, NULL);
            watch(&meter, extended(MS + (i + 1) * 100 * US, 37, &pdu));
        }
        pdu = pointing(1, 900, &advertiser);
        watch(&meter, extended(31 * MS, 36, &pdu));
        assert_int_equal(meter.events, others < YS_POINTERS_MOST ? 1 : 0);
        ys_advertising_meter_free(&meter);
    }
}

static void an_advertiser_without_an_address_is_known_by_that(void **state)
{
    (void)state;
    struct ys_advertising_meter meter = {.advertiser = advertiser, .anonymous = true, .interval_max_ns = 100 * MS};
    struct ys_link_extended pdu = nothing;
    (void)primary(&meter, MS, 7);
    watch(&meter, extended(MS + 3000 * US, 7, &pdu));
    assert_int_equal(meter.events, 1);
    assert_int_equal(meter.listens, 0);
    meter.anonymous = false;
    (void)primary(&meter, 50 * MS, 7);
    watch(&meter, extended(50 * MS + 3000 * US, 7, &pdu));
    assert_int_equal(meter.events, 1);
    /* a packet on a primary channel that says all, of it and of another */
    pdu.has_sender = true;
    pdu.sender = advertiser;
    watch(&meter, extended(120 * MS, 37, &pdu));
    watch(&meter, extended(120 * MS + 700 * US, 38, &pdu));
    pdu.sender = stranger;
    watch(&meter, extended(121 * MS, 39, &pdu));
    assert_int_equal(meter.events, 2);
    assert_int_equal(meter.spacings, 3);
    assert_int_equal(meter.spacing_max_ns, 700 * US);
    assert_int_equal(meter.packets[YS_PACKET_EXT_IND], 5);
    ys_advertising_meter_free(&meter);
}

/* Who always listens hears the first event: it comes at any time of an interval with its delay. */
static void who_always_listens_finds_at_the_first_event(void **state)
{
    (void)state;
    const struct ys_discovery discovery = {.interval_us = 95000,
                                           .packet_us = 300,
                                           .spacing_us = 500,
                                           .channels = 7,
                                           .scan_interval_us = 3000000,
                                           .scan_window_us = 3000000};
    struct ys_discovery_expectation expectation;
    double within = ys_discovery_expect(&discovery, 200, 25, &expectation);
    assert_near(expectation.median_ms, 50.3); /* of 95 ms and 5 of delay in the mean */
    assert_true(expectation.p95_ms > 95.2 && expectation.p95_ms < 97);
    assert_true(within > 0.246 && within < 0.248);
    assert_true(expectation.found > 0.9999 && expectation.found < 1.0001);
    (void)ys_discovery_expect(&discovery, 40, 25, &expectation);
    assert_true(expectation.median_ms < 0 && expectation.p95_ms < 0);
    assert_true(expectation.found > 0.396 && expectation.found < 0.398);
}

static void scanners_are_named_or_written(void **state)
{
    (void)state;
    struct ys_scanner scanner;
    assert_true(ys_scanner_of("tenth", &scanner));
    assert_int_equal(scanner.window_us, 10000);
    assert_int_equal(scanner.interval_us, 100000);
    assert_true(ys_scanner_of("2.5 ms of 10240 ms", &scanner));
    assert_int_equal(scanner.window_us, 2500);
    assert_int_equal(scanner.interval_us, 10240000);
    assert_true(ys_scanner_of("30.625 ms of 30.625 ms", &scanner));
    static const char *const wrong[] = {"",
                                        "tenths",
                                        "30 ms",
                                        "30 ms of",
                                        "30 ms of 100 s",
                                        "30 ms of 100 ms ",
                                        "30 ms of 20 ms",
                                        "1.875 ms of 100 ms",
                                        "30 ms of 10240.625 ms",
                                        "30.1 ms of 100 ms",
                                        "30 ms of 100.1 ms",
                                        " 30 ms of 100 ms",
                                        "-30 ms of 100 ms",
                                        "nan ms of 100 ms",
                                        "30ms of 100 ms"};
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++)
        assert_false(ys_scanner_of(wrong[i], &scanner));
}

/* By hand: an exchange on LE 2M is 251 bytes (1,048 us with all that frames them), T_IFS, an empty packet (44 us) and
 * T_IFS. */
static void what_a_link_carries_can_be_counted_by_hand(void **state)
{
    (void)state;
    struct ys_link_limit limit;
    struct ys_link_shape shape = {.data_phy = YS_PHY_2M,
                                  .answer_phy = YS_PHY_2M,
                                  .interval_us = 7500,
                                  .packet_length = 251,
                                  .value_bytes = 244,
                                  .frame_bytes = ys_link_att_frame(244)};
    ys_link_limit(&shape, &limit);
    assert_int_equal(limit.exchange_ns, (1048 + 44 + 300) * US);
    assert_int_equal(limit.event_room_ns, 7350 * US);
    assert_int_equal(limit.packets, 1);
    assert_int_equal(limit.cycle, 1);
    assert_near(limit.exchanges, 5);
    assert_near(limit.goodput_bps, 5 * 244 * 8 / 0.0075);
    assert_near(limit.used, (5 * 1392.0 - 150) / 7500);
    shape.encrypted = true; /* 16 us a packet more */
    ys_link_limit(&shape, &limit);
    assert_int_equal(limit.exchange_ns, (1048 + 16 + 44 + 300) * US);
    shape.confirmed = true;
    ys_link_limit(&shape, &limit);
    assert_near(limit.frames_hz, 1 / 0.0075);
    shape.confirmed = false;
    shape.event_length_us = 3000;
    ys_link_limit(&shape, &limit);
    assert_int_equal(limit.event_room_ns, 3000 * US);
    assert_near(limit.exchanges, 2);
    /* two packets to a frame, the second with 4 bytes: 3.5 frames to an event, so it takes two to come round */
    shape = (struct ys_link_shape){.data_phy = YS_PHY_1M,
                                   .answer_phy = YS_PHY_1M,
                                   .interval_us = 7500,
                                   .packet_length = 27,
                                   .value_bytes = 24,
                                   .frame_bytes = ys_link_att_frame(24)};
    ys_link_limit(&shape, &limit);
    assert_int_equal(limit.packets, 2);
    struct ys_link_latency latency;
    ys_link_expect_latency(&shape, 3, &latency);
    double takes_ms = (296 + 80 + 300 + 112 + 80 + 300 - 150) / 1000.0;
    assert_near(latency.median_ms, 3.75 + takes_ms);
    assert_near(latency.p95_ms, 0.95 * 7.5 + takes_ms);
    assert_near(latency.max_ms, 7.5 + takes_ms);
    shape.by_central = true; /* the peripheral sleeps over three; its acknowledgement comes after the data */
    ys_link_expect_latency(&shape, 3, &latency);
    assert_near(latency.max_ms, 30 + takes_ms - 0.23);
    const struct ys_link_budget budget = {
        .power_dbm = 4, .loss_at_1m_db = 40, .exponent = 2.5, .distance_m = 10, .sensitivity_dbm = -95};
    assert_near(-ys_link_strength_dbm(&budget), 61);
    assert_near(ys_link_margin_db(&budget), 34);
    const struct ys_link_budget near = {.loss_at_1m_db = 40, .exponent = 2.5, .distance_m = 0.1};
    assert_near(-ys_link_strength_dbm(&near), 40);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(samples_are_what_their_definitions_say),
        cmocka_unit_test(the_first_value_of_a_stream_begins_its_time),
        cmocka_unit_test(a_link_is_counted_by_its_sides_and_its_events),
        cmocka_unit_test(legacy_advertising_is_measured_to_the_packet),
        cmocka_unit_test(extended_advertising_is_measured_to_the_packet),
        cmocka_unit_test(the_oldest_pointer_is_forgotten),
        cmocka_unit_test(an_advertiser_without_an_address_is_known_by_that),
        cmocka_unit_test(who_always_listens_finds_at_the_first_event),
        cmocka_unit_test(scanners_are_named_or_written),
        cmocka_unit_test(what_a_link_carries_can_be_counted_by_hand),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
