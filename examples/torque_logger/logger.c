/* The firmware of the Torvane L1: a central that finds its wrench by itself, and copes with its disappearance; and a
 * peripheral meanwhile. */
#include "logger.h"

#include <yarnswift/advertisement.h>

/* The tightening service of the wrench, and what is in it, as on the air. */
#define WRENCH_UUID(number)                                                                                            \
    {                                                                                                                  \
        16,                                                                                                            \
        {                                                                                                              \
            0x52, 0x6a, 0x7b, 0xe0, 0xc1, 0xd4, 0x37, 0x9a, 0x6f, 0x4e, 0x1c, 0x2b, (number), 0x00, 0x8d, 0x5f         \
        }                                                                                                              \
    }

static const struct ys_uuid tightening = WRENCH_UUID(0);
static const struct ys_uuid wanted[LOGGER_VALUES] = {
    [LOGGER_RESULT] = WRENCH_UUID(3), [LOGGER_PRESET] = WRENCH_UUID(2)};

void logger_init(struct logger *logger, struct ys_host *host)
{
    *logger = (struct logger){.host = host};
}

/* finding a wrench */

static void search(struct logger *logger)
{
    static const struct ys_report_filter filter = {.service = &tightening};
    const struct ys_scanning scanning = {.interval_us = 100000, .window_us = 50000, .filter = &filter};
    logger->stage = LOGGER_SEARCHES;
    (void)ys_scan(logger->host, &scanning);
}

static void found(struct logger *logger, const struct ys_address *address)
{
    const struct ys_connecting connecting = {.interval_us = 50000, .supervision_timeout_ms = 2000};
    if (logger->stage != LOGGER_SEARCHES)
        return;
    (void)ys_scan_stop(logger->host);
    if (ys_connect(logger->host, address, &connecting) == YS_OK)
        logger->stage = LOGGER_CONNECTS;
}

/* what it wants of it */

static void give_up(struct logger *logger)
{
    ys_host_log(logger->host, "gives up this wrench, outcome", logger->request.outcome);
    (void)ys_disconnect(logger->host, logger->wrench);
}

/* The next thing that is due, one request at a time. */
static void go_on(struct logger *logger);

static void preset_written(struct ys_client_request *request)
{
    struct logger *logger = request->context;
    logger->writing = false;
    if (request->outcome == YS_OUTCOME_DISCONNECTED)
        return;
    if (request->outcome == YS_OUTCOME_DONE)
        ys_host_log(logger->host, "has set the wrench's preset, in 0.1 N m:", logger->preset);
    else
        ys_host_log(logger->host, "the wrench refuses the preset, error", request->error);
    go_on(logger);
}

static void write_preset(struct logger *logger)
{
    logger->preset_due = false;
    logger->writing = true;
    logger->preset_bytes[0] = (uint8_t)logger->preset;
    logger->preset_bytes[1] = (uint8_t)(logger->preset >> 8);
    logger->request.on_done = preset_written;
    if (ys_client_write(logger->host, logger->wrench, &logger->request, logger->handles[LOGGER_PRESET],
                        logger->preset_bytes, 2) != YS_OK)
        give_up(logger);
}

static void subscribed(struct ys_client_request *request)
{
    struct logger *logger = request->context;
    if (request->outcome == YS_OUTCOME_DISCONNECTED)
        return;
    if (request->outcome != YS_OUTCOME_DONE) {
        give_up(logger);
        return;
    }
    logger->stage = LOGGER_LISTENS;
    ys_host_log(logger->host, "logs bolts, so far", logger->bolts);
    ys_host_changed(logger->host, TORQUE_LOGGER_WRENCH_HERE);
    go_on(logger);
}

static void discovered(struct ys_client_request *request)
{
    struct logger *logger = request->context;
    if (request->outcome == YS_OUTCOME_DISCONNECTED)
        return;
    if (request->outcome != YS_OUTCOME_DONE || logger->configuration == 0 || logger->handles[LOGGER_PRESET] == 0) {
        give_up(logger); /* it only seemed to be one */
        return;
    }
    logger->stage = LOGGER_SUBSCRIBES;
    logger->request.on_done = subscribed;
    if (ys_client_subscribe(logger->host, logger->wrench, &logger->request, logger->configuration,
                            YS_SUBSCRIBE_INDICATIONS) != YS_OK)
        give_up(logger);
}

static void item(struct ys_client_request *request, const struct ys_found *thing)
{
    struct logger *logger = request->context;
    for (int i = 0; i < LOGGER_VALUES && thing->kind == YS_FOUND_CHARACTERISTIC; i++) {
        if (ys_uuid_is_equal(&thing->uuid, &wanted[i]))
            logger->handles[i] = thing->value_handle;
    }
    /* descriptors come after all characteristics, in the order of their handles: the first behind the value is its */
    if (thing->kind == YS_FOUND_DESCRIPTOR && ys_uuid_number(&thing->uuid) == 0x2902 && logger->configuration == 0 &&
        thing->handle > logger->handles[LOGGER_RESULT])
        logger->configuration = thing->handle;
}

static void discover(struct logger *logger)
{
    logger->stage = LOGGER_DISCOVERS;
    logger->configuration = 0;
    logger->handles[LOGGER_RESULT] = 0;
    logger->handles[LOGGER_PRESET] = 0;
    logger->request = (struct ys_client_request){.context = logger, .on_done = discovered, .on_item = item};
    if (ys_client_discover(logger->host, logger->wrench, &logger->request) != YS_OK)
        give_up(logger);
}

static void go_on(struct logger *logger)
{
    if (logger->stage == LOGGER_LISTENS && logger->preset_due && !logger->writing)
        write_preset(logger);
}

/* events */

static void connected(struct logger *logger, const struct ys_event *event)
{
    if (event->u.connected.role != YS_ROLE_CENTRAL)
        return;
    logger->wrench = event->connection;
    logger->preset_due = logger->preset != 0;
    discover(logger);
}

static void disconnected(struct logger *logger, const struct ys_event *event)
{
    if (logger->stage < LOGGER_DISCOVERS || event->connection != logger->wrench)
        return; /* it was the tablet */
    ys_host_log(logger->host, "has lost its wrench, after bolts:", logger->bolts);
    search(logger);
    ys_host_changed(logger->host, TORQUE_LOGGER_WRENCH_HERE);
}

/* A result: its number, the peak torque, the angle, the verdict. */
static void result(struct logger *logger, const struct ys_event *event)
{
    struct ys_reader reader = ys_reader_of(event->u.notification.value, event->u.notification.length);
    (void)ys_get_u16(&reader);
    int16_t peak = ys_get_i16(&reader);
    if (!ys_reader_ok(&reader) || event->u.notification.handle != logger->handles[LOGGER_RESULT])
        return;
    logger->bolts++;
    if (peak > logger->greatest)
        logger->greatest = peak;
    ys_host_changed(logger->host, TORQUE_LOGGER_BOLTS_LOGGED);
}

void logger_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct logger *logger = context;
    switch (event->kind) {
    case YS_EVENT_READY:
        (void)ys_advertise(host, &torque_logger_advertising);
        search(logger);
        break;
    case YS_EVENT_REPORT:
        found(logger, &event->u.report.address);
        break;
    case YS_EVENT_CONNECTED:
        connected(logger, event);
        break;
    case YS_EVENT_CONNECT_FAILED:
        search(logger);
        break;
    case YS_EVENT_DISCONNECTED:
        disconnected(logger, event);
        break;
    case YS_EVENT_NOTIFICATION:
        result(logger, event);
        break;
    default:
        break;
    }
}

/* handlers */

uint8_t torque_logger_wrench_here_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct logger *logger = access->context;
    ys_put_u8(value, logger->stage == LOGGER_LISTENS);
    return YS_ATT_OK;
}

uint8_t torque_logger_bolts_logged_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct logger *logger = access->context;
    ys_put_u16(value, logger->bolts);
    return YS_ATT_OK;
}

uint8_t torque_logger_greatest_torque_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct logger *logger = access->context;
    ys_put_i16(value, logger->greatest);
    return YS_ATT_OK;
}

uint8_t torque_logger_wrench_preset_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct logger *logger = access->context;
    ys_put_u16(value, logger->preset);
    return YS_ATT_OK;
}

uint8_t torque_logger_wrench_preset_write(const struct ys_access *access, struct ys_reader *value)
{
    struct logger *logger = access->context;
    uint16_t preset = ys_get_u16(value);
    if (preset < TORQUE_LOGGER_WRENCH_PRESET_LEAST || preset > TORQUE_LOGGER_WRENCH_PRESET_GREATEST)
        return YS_ATT_OUT_OF_RANGE;
    logger->preset = preset;
    logger->preset_due = true;
    go_on(logger);
    return YS_ATT_OK;
}
