/* The firmware of the Torvane L1: a central that finds its wrench by itself, and copes with its disappearance; and a
 * peripheral meanwhile. */
#include "logger.h"

/* the wrench */

static void write_preset(struct logger *logger)
{
    uint8_t bytes[2];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    torque_wrench_preset_put(&writer, logger->preset);
    if (logger->preset_said && ys_remote_is_ready(&logger->wrench)) /* else it is written once there is a wrench */
        (void)ys_remote_write(&logger->wrench, TORQUE_WRENCH_CLIENT_PRESET, bytes, sizeof bytes);
}

static void on_ready(struct ys_remote *wrench, bool ready)
{
    struct logger *logger = ys_remote_context(wrench);
    ys_host_log(logger->host, ready ? "logs bolts, so far" : "has lost its wrench, after bolts:", logger->bolts);
    ys_host_changed(logger->host, TORQUE_LOGGER_WRENCH_HERE);
    write_preset(logger);
}

static void on_value(struct ys_remote *wrench, uint8_t item, struct ys_reader *value)
{
    struct logger *logger = ys_remote_context(wrench);
    struct torque_wrench_bolt_result result;
    if (item != TORQUE_WRENCH_CLIENT_BOLT_RESULT || !torque_wrench_bolt_result_get(value, &result))
        return;
    logger->bolts++;
    if (result.peak_torque > logger->greatest)
        logger->greatest = result.peak_torque;
    ys_host_changed(logger->host, TORQUE_LOGGER_BOLTS_LOGGED);
}

static void on_done(struct ys_remote *wrench, uint8_t item, uint8_t error)
{
    const struct logger *logger = ys_remote_context(wrench);
    (void)item; /* it writes nothing else */
    if (error == YS_ATT_OK)
        ys_host_log(logger->host, "has set the wrench's preset, in 0.1 N m:", logger->preset);
    else
        ys_host_log(logger->host, "the wrench refuses the preset, error", error);
}

void logger_init(struct logger *logger, struct ys_host *host)
{
    static const uint8_t wanted[] = {TORQUE_WRENCH_CLIENT_BOLT_RESULT};
    *logger = (struct logger){.host = host, .preset = 1200}; /* as a wrench has it that nobody has set */
    logger->settings = (struct ys_remote_settings){.plan = &torque_wrench_client,
                                                   .places = logger->places,
                                                   .subscribe = wanted,
                                                   .subscribe_count = 1,
                                                   .memory = logger->memory,
                                                   .size = sizeof logger->memory / 2,
                                                   .scanning = &torque_logger_scanning,
                                                   .context = logger,
                                                   .on_ready = on_ready,
                                                   .on_value = on_value,
                                                   .on_done = on_done};
    (void)ys_remote_init(host, &logger->wrench, &logger->settings);
    (void)ys_remote_search(&logger->wrench);
}

void logger_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct logger *logger = context;
    (void)ys_remote_event(&logger->wrench, event);
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &torque_logger_advertising);
}

/* handlers */

uint8_t torque_logger_wrench_here_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct logger *logger = access->context;
    torque_logger_wrench_here_put(value, ys_remote_is_ready(&logger->wrench));
    return YS_ATT_OK;
}

uint8_t torque_logger_bolts_logged_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct logger *logger = access->context;
    torque_logger_bolts_logged_put(value, logger->bolts);
    return YS_ATT_OK;
}

uint8_t torque_logger_greatest_torque_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct logger *logger = access->context;
    torque_logger_greatest_torque_put(value, logger->greatest);
    return YS_ATT_OK;
}

uint8_t torque_logger_wrench_preset_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct logger *logger = access->context;
    torque_logger_wrench_preset_put(value, logger->preset);
    return YS_ATT_OK;
}

uint8_t torque_logger_wrench_preset_write(const struct ys_access *access, struct ys_reader *value)
{
    struct logger *logger = access->context;
    logger->preset = ys_get_u16(value); /* within its range: anything else has been refused */
    logger->preset_said = true;
    write_preset(logger);
    return YS_ATT_OK;
}
