/* The firmware of the Torvane T2. The same file runs in the demo, in tests and on the microcontroller. */
#include "wrench.h"

void wrench_init(struct wrench *wrench, struct ys_host *host)
{
    *wrench = (struct wrench){.host = host, .preset = 1200, .battery = 87};
}

void wrench_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct wrench *wrench = context;
    if (event->kind != YS_EVENT_READY)
        return;
    (void)ys_stream_open(host, &wrench->log, TORQUE_WRENCH_LOG, wrench->log_memory, sizeof wrench->log_memory);
    (void)ys_advertise(host, &torque_wrench_advertising);
}

/* handlers */

uint8_t torque_wrench_live_torque_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct wrench *wrench = access->context;
    ys_put_i16(value, wrench->torque);
    return YS_ATT_OK;
}

uint8_t torque_wrench_preset_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct wrench *wrench = access->context;
    ys_put_u16(value, wrench->preset);
    return YS_ATT_OK;
}

uint8_t torque_wrench_preset_write(const struct ys_access *access, struct ys_reader *value)
{
    struct wrench *wrench = access->context;
    wrench->preset = ys_get_u16(value); /* within its range: anything else has been refused */
    return YS_ATT_OK;
}

uint8_t torque_wrench_bolt_result_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct wrench *wrench = access->context;
    torque_wrench_bolt_result_put(value, &wrench->result);
    return YS_ATT_OK;
}

uint8_t torque_wrench_battery_level_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct wrench *wrench = access->context;
    ys_put_u8(value, wrench->battery);
    return YS_ATT_OK;
}

uint8_t torque_wrench_arm_write(const struct ys_access *access, struct ys_reader *value)
{
    struct wrench *wrench = access->context;
    wrench->armed = ys_get_u8(value) != 0;
    return YS_ATT_OK;
}

static void answer(struct wrench *wrench, uint8_t error)
{
    if (wrench->asked != 0)
        (void)ys_answer(wrench->host, wrench->asked, error, NULL, 0);
    wrench->asked = 0;
}

/* Only who holds the wrench may let others arm it: with a finger on the trigger, at once or in a moment. Who asked
 * before is refused. */
uint8_t torque_wrench_consent(const struct ys_access *access, enum ys_access_kind wish)
{
    struct wrench *wrench = access->context;
    (void)wish;
    if (wrench->trigger)
        return YS_ATT_OK;
    answer(wrench, YS_ATT_INSUFFICIENT_AUTHORIZATION);
    wrench->asked = access->token;
    wrench->patience = WRENCH_PATIENCE_MS / WRENCH_SAMPLE_MS;
    return YS_LATER;
}

/* hardware */

void wrench_trigger(struct wrench *wrench, bool pulled)
{
    wrench->trigger = pulled;
    if (pulled)
        answer(wrench, wrench->patience > 0 ? YS_ATT_OK : YS_ATT_INSUFFICIENT_AUTHORIZATION);
}

void wrench_battery(struct wrench *wrench, uint8_t percent)
{
    wrench->battery = percent;
    ys_host_changed(wrench->host, TORQUE_WRENCH_BATTERY_LEVEL);
}

/* A log that is full keeps the oldest bolts; the stream counts what it refuses. */
static void log_bolt(struct wrench *wrench)
{
    uint8_t record[7];
    struct ys_writer writer = ys_writer_to(record, sizeof record);
    torque_wrench_bolt_result_put(&writer, &wrench->result);
    (void)ys_stream_append(&wrench->log, record, sizeof record);
}

/* The clutch opens: the bolt is done, and so is its result. */
static void finish_bolt(struct wrench *wrench)
{
    wrench->result = (struct torque_wrench_bolt_result){
        .number = ++wrench->bolt,
        .peak_torque = wrench->torque,
        .angle = wrench->angle,
        .verdict = TORQUE_WRENCH_BOLT_RESULT_VERDICT_GOOD,
    };
    wrench->torque = 0;
    wrench->angle = 0;
    wrench->pause = 25; /* the next bolt is half a second away */
    ys_host_changed(wrench->host, TORQUE_WRENCH_BOLT_RESULT);
    log_bolt(wrench);
}

void wrench_timer_interrupt(struct wrench *wrench)
{
    if (wrench->patience > 0)
        wrench->patience--;
    if (!wrench->trigger || wrench->pause > 0) {
        wrench->pause = (uint8_t)(wrench->pause > 0 ? wrench->pause - 1 : 0);
        if (wrench->torque == 0)
            return;
        wrench->torque = 0; /* let go before the clutch opened: there is no result */
        wrench->angle = 0;
    } else if (wrench->torque >= (int16_t)wrench->preset) {
        finish_bolt(wrench);
    } else {
        int16_t left = (int16_t)(wrench->preset - (uint16_t)wrench->torque);
        wrench->torque = (int16_t)(wrench->torque + (left < 7 ? left : 7)); /* 0.7 N m a sample */
        wrench->angle = (uint16_t)(wrench->angle + 2);
    }
    ys_host_changed(wrench->host, TORQUE_WRENCH_LIVE_TORQUE);
}
