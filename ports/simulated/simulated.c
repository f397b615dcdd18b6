/* The simulated port: a queue of packets from the controller, and a timer that runs the host when it is due. */
#include "simulated/simulated.h"
#include "sim/controller.h"
#include "sim/controller_settings.h"

#include <stdlib.h>
#include <string.h>

#include "machine/crypto.h"
#include "sim/chance.h"
#include "wire/hci.h"
#include "wire/l2cap.h"

/* Keeps the port's draws apart from those of its controller. */
#define CHANCE_OF_PORTS UINT64_C(0x100000000)

/* How long a small processor takes for a computation on the curve. */
#define CURVE_MS 50

/* On a serial line: with a start and a stop bit. */
#define BITS_A_BYTE UINT64_C(10)

struct packet {
    struct packet *next;
    uint64_t at_ns; /* when its last byte arrives */
    size_t length;
    uint8_t bytes[YS_HCI_COMMAND_MAX + 8];
};

/* One direction of HCI. */
struct way {
    struct ys_timer arrival; /* of the first */
    struct packet *first;
    struct packet **end;
    uint64_t free_ns; /* the line carries nothing any more */
};

struct ys_simulated {
    struct ys_simulated_settings settings;
    struct ys_controller *controller;
    struct ys_clock *clock;
    struct ys_chance chance;
    struct ys_port port;
    struct ys_host *host;
    ys_run_fn *turn;
    bool in_interrupt;
    struct ys_timer run;
    struct way up;        /* to the host */
    struct way down;      /* to the controller */
    struct packet *first; /* that has arrived at the host */
    struct packet **end;
    struct packet *given; /* to the host: valid until it asks again */
    struct packet *pool;
    bool exhausted;
    unsigned draws_left; /* random numbers, if they are `exhausted` then */
    struct ys_timer curve;
    enum ys_curve curve_state;
    size_t curve_length; /* of the result; 0: nothing was asked for */
    uint8_t curve_result[64];
    uint8_t private_key[32];
};

static void observe(const struct ys_simulated *simulated, enum ys_direction direction, const uint8_t *packet,
                    size_t length)
{
    if (simulated->settings.observe != NULL)
        simulated->settings.observe(simulated->settings.context, direction, packet, length);
}

static void run_soon(void *context)
{
    struct ys_simulated *simulated = context;
    if (simulated->host != NULL)
        ys_clock_set(simulated->clock, &simulated->run, ys_clock_now_ns(simulated->clock));
}

static void run(void *context)
{
    struct ys_simulated *simulated = context;
    uint32_t wait_ms = simulated->turn(simulated->host);
    uint64_t now_ns = ys_clock_now_ns(simulated->clock);
    if (wait_ms != YS_FOREVER && !ys_timer_is_set(&simulated->run))
        ys_clock_set(simulated->clock, &simulated->run, now_ns + wait_ms * YS_NS_PER_MS);
}

/* HCI: what crosses it comes in its order, each after the time that it takes */

static void begin_way(struct way *way, ys_timer_fn *arrives, void *context)
{
    way->end = &way->first;
    way->arrival = (struct ys_timer){.fire = arrives, .context = context};
}

static struct packet *new_packet(struct ys_simulated *simulated, const uint8_t *bytes, size_t length)
{
    struct packet *packet = simulated->pool;
    if (packet != NULL)
        simulated->pool = packet->next;
    else
        packet = malloc(sizeof *packet);
    if (packet == NULL || length > sizeof packet->bytes)
        abort(); /* a simulation that loses packets cannot be true */
    packet->next = NULL;
    packet->length = length;
    memcpy(packet->bytes, bytes, length);
    return packet;
}

/* Puts a packet on its way that is ready to go after some time, and taken some time after it has come. */
static void put_on_way(struct ys_simulated *simulated, struct way *way, uint32_t ready_us, uint32_t after_us,
                       struct packet *packet)
{
    uint32_t bps = simulated->settings.line_bps;
    uint64_t ready_ns = ys_clock_now_ns(simulated->clock) + ready_us * YS_NS_PER_US;
    way->free_ns = (ready_ns > way->free_ns ? ready_ns : way->free_ns) +
                   (bps > 0 ? BITS_A_BYTE * packet->length * YS_NS_PER_S / bps : 0);
    packet->at_ns = way->free_ns + after_us * YS_NS_PER_US;
    *way->end = packet;
    way->end = &packet->next;
    if (packet == way->first)
        ys_clock_set(simulated->clock, &way->arrival, packet->at_ns);
}

/* Takes the first packet of a direction that has arrived; NULL if there is none. */
static struct packet *take_from_way(struct ys_simulated *simulated, struct way *way)
{
    struct packet *packet = way->first;
    if (packet == NULL || packet->at_ns > ys_clock_now_ns(simulated->clock))
        return NULL;
    way->first = packet->next;
    if (way->first == NULL)
        way->end = &way->first;
    else if (way->first->at_ns > ys_clock_now_ns(simulated->clock))
        ys_clock_set(simulated->clock, &way->arrival, way->first->at_ns);
    return packet;
}

static void give_back(struct ys_simulated *simulated, struct packet *packet)
{
    packet->next = simulated->pool;
    simulated->pool = packet;
}

/* the controller's side */

static void arrive(struct ys_simulated *simulated, struct packet *packet)
{
    packet->next = NULL;
    *simulated->end = packet;
    simulated->end = &packet->next;
    observe(simulated, YS_TO_HOST, packet->bytes, packet->length);
    run_soon(simulated);
}

static void at_host(void *context)
{
    struct ys_simulated *simulated = context;
    struct packet *packet;
    while ((packet = take_from_way(simulated, &simulated->up)) != NULL)
        arrive(simulated, packet);
}

static void from_controller(void *context, const uint8_t *bytes, size_t length)
{
    struct ys_simulated *simulated = context;
    const struct ys_simulated_settings *settings = &simulated->settings;
    uint32_t answer_us = settings->character != NULL ? settings->character->answer_us : 0;
    struct packet *packet = new_packet(simulated, bytes, length);
    if (answer_us > 0 || settings->line_bps > 0 || settings->thinks_us > 0)
        put_on_way(simulated, &simulated->up, answer_us, settings->thinks_us, packet);
    else
        arrive(simulated, packet);
}

void ys_simulated_hear(struct ys_simulated *simulated, const uint8_t *packet, size_t length)
{
    static struct packet *sized;
    if (length <= sizeof sized->bytes)
        arrive(simulated, new_packet(simulated, packet, length));
}

/* the host's side */

static void at_controller(void *context)
{
    struct ys_simulated *simulated = context;
    struct packet *packet;
    while ((packet = take_from_way(simulated, &simulated->down)) != NULL) {
        ys_controller_receive(simulated->controller, packet->bytes, packet->length);
        give_back(simulated, packet);
    }
}

static void send(void *context, const uint8_t *packet, size_t length)
{
    struct ys_simulated *simulated = context;
    observe(simulated, YS_TO_CONTROLLER, packet, length);
    if (simulated->settings.outside != NULL)
        simulated->settings.outside->send(simulated->settings.outside->context, packet, length);
    else if (simulated->settings.line_bps == 0)
        ys_controller_receive(simulated->controller, packet, length);
    else
        put_on_way(simulated, &simulated->down, 0, 0, new_packet(simulated, packet, length));
}

static const uint8_t *receive(void *context, size_t *length)
{
    struct ys_simulated *simulated = context;
    if (simulated->given != NULL)
        give_back(simulated, simulated->given);
    simulated->given = simulated->first;
    if (simulated->given == NULL)
        return NULL;
    simulated->first = simulated->given->next;
    if (simulated->first == NULL)
        simulated->end = &simulated->first;
    *length = simulated->given->length;
    return simulated->given->bytes;
}

static uint32_t now_ms(void *context)
{
    const struct ys_simulated *simulated = context;
    return (uint32_t)(ys_clock_now_ns(simulated->clock) / YS_NS_PER_MS);
}

static uint32_t now_us(void *context)
{
    const struct ys_simulated *simulated = context;
    return (uint32_t)(ys_clock_now_ns(simulated->clock) / YS_NS_PER_US);
}

static bool in_interrupt(void *context)
{
    return ((const struct ys_simulated *)context)->in_interrupt;
}

static void works(void *context, bool begins)
{
    const struct ys_simulated *simulated = context;
    if (simulated->settings.works != NULL)
        simulated->settings.works(simulated->settings.context, begins);
}

static bool draw(void *context, void *bytes, size_t length)
{
    struct ys_simulated *simulated = context;
    if (simulated->exhausted && simulated->draws_left == 0)
        return false;
    simulated->draws_left -= simulated->exhausted;
    ys_chance_fill(&simulated->chance, bytes, length);
    return true;
}

static bool encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    return ys_crypto_encrypt(key, plain, cipher);
}

/* Results are computed at once, but delivered only when their time has come. */
static bool begin_curve(struct ys_simulated *simulated, size_t length, bool good)
{
    uint16_t ms = simulated->settings.curve_ms != 0 ? simulated->settings.curve_ms : CURVE_MS;
    simulated->curve_length = length;
    simulated->curve_state = good ? YS_CURVE_DONE : YS_CURVE_FAILED;
    ys_clock_set(simulated->clock, &simulated->curve, ys_clock_now_ns(simulated->clock) + ms * YS_NS_PER_MS);
    return true;
}

static bool curve_key(void *context)
{
    struct ys_simulated *simulated = context;
    return begin_curve(simulated, 64, ys_crypto_key(draw, simulated, simulated->private_key, simulated->curve_result));
}

static bool curve_secret(void *context, const uint8_t *peer)
{
    struct ys_simulated *simulated = context;
    return begin_curve(simulated, 32,
                       ys_crypto_secret(draw, simulated, simulated->private_key, peer, simulated->curve_result));
}

static enum ys_curve curve_result(void *context, uint8_t *result)
{
    struct ys_simulated *simulated = context;
    size_t length = simulated->curve_length;
    if (result != NULL && length > 0 && ys_timer_is_set(&simulated->curve))
        return YS_CURVE_BUSY;
    ys_clock_cancel(simulated->clock, &simulated->curve);
    if (result == NULL)
        memset(simulated->private_key, 0, sizeof simulated->private_key);
    else if (length > 0)
        memcpy(result, simulated->curve_result, length);
    memset(simulated->curve_result, 0, sizeof simulated->curve_result);
    simulated->curve_length = 0;
    return length > 0 ? simulated->curve_state : YS_CURVE_FAILED;
}

/* Interrupts of a simulated device are events of its clock: they never come between two instructions. */
static void critical(void *context)
{
    (void)context;
}

static bool put(void *context, uint16_t key, const void *bytes, size_t length)
{
    return ys_store_put(((const struct ys_simulated *)context)->settings.store, key, bytes, length);
}

static size_t get(void *context, uint16_t key, void *bytes, size_t size)
{
    return ys_store_get(((const struct ys_simulated *)context)->settings.store, key, bytes, size);
}

static void delete (void *context, uint16_t key)
{
    ys_store_delete(((const struct ys_simulated *)context)->settings.store, key);
}

static void log_line(void *context, const char *text, uint32_t value)
{
    const struct ys_simulated *simulated = context;
    if (simulated->settings.log != NULL)
        simulated->settings.log(simulated->settings.context, text, value);
}

static void make_port(struct ys_simulated *simulated)
{
    const struct ys_simulated_settings *settings = &simulated->settings;
    simulated->port = (struct ys_port){
        .context = simulated,
        .send = send,
        .receive = receive,
        .now_ms = now_ms,
        .now_us = now_us,
        .random = draw,
        .enter_critical = critical,
        .leave_critical = critical,
        .wake = run_soon,
        .in_interrupt = in_interrupt,
        .works = works,
        .encrypt = encrypt,
        .log = log_line,
    };
    if (!settings->no_curve) {
        simulated->port.curve_key = curve_key;
        simulated->port.curve_secret = curve_secret;
        simulated->port.curve_result = curve_result;
    }
    if (settings->store != NULL) {
        simulated->port.store_put = put;
        simulated->port.store_get = get;
        simulated->port.store_delete = delete;
    }
}

struct ys_simulated *ys_simulated_new(struct ys_radio *radio, const struct ys_simulated_settings *settings)
{
    struct ys_simulated *simulated = calloc(1, sizeof *simulated);
    if (simulated == NULL)
        return NULL;
    simulated->settings = *settings;
    simulated->clock = ys_radio_clock(radio);
    simulated->chance = ys_chance_of(settings->seed, CHANCE_OF_PORTS + settings->number);
    simulated->end = &simulated->first;
    begin_way(&simulated->up, at_host, simulated);
    begin_way(&simulated->down, at_controller, simulated);
    simulated->run = (struct ys_timer){.fire = run, .context = simulated};
    simulated->curve = (struct ys_timer){.fire = run_soon, .context = simulated};
    make_port(simulated);
    if (settings->outside != NULL) {
        settings->outside->whose = simulated;
        return simulated;
    }
    simulated->controller = ys_controller_new(radio, &(struct ys_controller_settings){
                                                         .number = settings->number,
                                                         .seed = settings->seed,
                                                         .address = settings->address,
                                                         .character = settings->character,
                                                         .buffer_length = settings->buffer_length,
                                                         .buffer_count = settings->buffer_count,
                                                         .sets = settings->sets,
                                                         .lacks = settings->lacks,
                                                         .event_length_us = settings->event_length_us,
                                                         .power_dbm = settings->power_dbm,
                                                         .adapts = settings->adapts,
                                                         .send = from_controller,
                                                         .context = simulated,
                                                     });
    if (simulated->controller == NULL) {
        free(simulated);
        return NULL;
    }
    return simulated;
}

static void free_packets(struct packet *packet)
{
    while (packet != NULL) {
        struct packet *next = packet->next;
        free(packet);
        packet = next;
    }
}

void ys_simulated_free(struct ys_simulated *simulated)
{
    if (simulated == NULL)
        return;
    ys_clock_cancel(simulated->clock, &simulated->run);
    ys_clock_cancel(simulated->clock, &simulated->curve);
    ys_clock_cancel(simulated->clock, &simulated->up.arrival);
    ys_clock_cancel(simulated->clock, &simulated->down.arrival);
    if (simulated->settings.outside != NULL)
        simulated->settings.outside->whose = NULL;
    ys_controller_free(simulated->controller);
    free_packets(simulated->up.first);
    free_packets(simulated->down.first);
    free_packets(simulated->first);
    free_packets(simulated->pool);
    free(simulated->given);
    free(simulated);
}

const struct ys_port *ys_simulated_port(const struct ys_simulated *simulated)
{
    return &simulated->port;
}

bool ys_simulated_made(const struct ys_simulated *simulated, struct ys_address *made)
{
    return simulated->controller != NULL && ys_controller_made(simulated->controller, made);
}

const struct ys_radio_use *ys_simulated_use(const struct ys_simulated *simulated)
{
    static const struct ys_radio_use none;
    return simulated->controller != NULL ? ys_controller_use(simulated->controller) : &none;
}

void ys_simulated_inject(struct ys_simulated *simulated, uint16_t connection, uint16_t channel, const uint8_t *bytes,
                         uint16_t length)
{
    uint8_t packet[16 + 255];
    struct ys_writer writer = ys_writer_to(packet, sizeof packet);
    ys_put_u8(&writer, YS_HCI_DATA);
    ys_put_hci_data(&writer, &(struct ys_hci_data){.handle = connection,
                                                   .boundary = YS_HCI_FIRST_TO_CONTROLLER,
                                                   .length = (uint16_t)(YS_L2CAP_HEADER_SIZE + length)});
    ys_put_l2cap_header(&writer, &(struct ys_l2cap_header){.length = length, .channel = channel});
    ys_put_bytes(&writer, bytes, length);
    if (ys_writer_ok(&writer))
        send(simulated, packet, ys_writer_stored(&writer));
}

void ys_simulated_exhaust(struct ys_simulated *simulated, unsigned draws)
{
    simulated->exhausted = true;
    simulated->draws_left = draws;
}

void ys_simulated_attach(struct ys_simulated *simulated, struct ys_host *host, ys_run_fn *turn)
{
    simulated->host = host;
    simulated->turn = turn;
    run_soon(simulated);
}

void ys_simulated_interrupt(struct ys_simulated *simulated, bool runs)
{
    simulated->in_interrupt = runs;
}
