/* The lightning logger: what its sensor knows of a strike is told, and nothing else. */
#include <yarnswift/outbox.h>
#include <yarnswift/workstation.h>

#include "lightning_logger_table.h"

static struct {
    struct ys_host *host;
    struct ys_outbox strikes;
    uint8_t memory[YS_OUTBOX_SIZE(64, 7)];
    uint16_t count;
} logger;

static void log_strike(struct lightning_logger_strike strike)
{
    uint8_t bytes[7];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    strike.number = ++logger.count;
    lightning_logger_strike_put(&writer, &strike);
    if (!ys_outbox_put(&logger.strikes, bytes, (uint32_t)ys_writer_stored(&writer)))
        ys_host_log(logger.host, "has no room for more strikes, lost so far", ys_outbox_refused(&logger.strikes));
}

/* The sensor: how far it was, in metres; 0 for one of which nothing is known. Strong ones are near. */
static void set_strike(void *context, int64_t value)
{
    struct lightning_logger_strike strike = {.distance = (uint16_t)value};
    (void)context;
    if (value > 0)
        strike.known |= LIGHTNING_LOGGER_STRIKE_KNOWN_DISTANCE;
    if (value > 0 && value < 2000) {
        strike.known |= LIGHTNING_LOGGER_STRIKE_KNOWN_CURRENT;
        strike.current = (uint16_t)(300 - value / 10);
    }
    log_strike(strike);
}

static void start(void *context, struct ys_host *host)
{
    (void)context;
    logger.host = host;
    (void)ys_outbox_open(host, &logger.strikes, LIGHTNING_LOGGER_STRIKE, logger.memory, sizeof logger.memory);
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &lightning_logger_advertising);
}

static const struct ys_input inputs[] = {{.name = "lightning", .set = set_strike, .in_loop = true}};
static const struct ys_firmware firmware = {
    .table = &lightning_logger_table, .start = start, .on_event = on_event, .inputs = inputs, .input_count = 1};

YS_MODULE(firmware);
