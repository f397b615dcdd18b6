/* What has changed: an interrupt says so, and it becomes pending for whoever subscribed.
 *
 *   changed --(spacing has passed)--> pending for each subscriber --(the link has room)--> read and sent (notify.c) */
#include "host/gatt/server/notifiables.h"

#include "host/core/bits.h"
#include "host/core/clock.h"
#include "host/core/connections.h"
#include "host/core/context.h"
#include "host/gatt/server/attributes.h"

uint16_t ys_notifiable_of(const struct ys_host *host, uint16_t handle)
{
    const struct ys_attribute *attribute = ys_attribute_at(host, handle);
    if (attribute == NULL || (attribute->kind & YS_ATTRIBUTE_KIND_MASK) != YS_ATTRIBUTE_VALUE)
        return YS_NONE;
    return ((const struct ys_value *)attribute->source)->notifiable;
}

/* 32 notifiables that changed. An interrupt may set bits meanwhile: each is seen now or the next time. */
static uint32_t changed_word(const struct ys_host *host, size_t word)
{
    return YS_LOAD(host->changed.words[word]);
}

static void set_changed(struct ys_host *host, uint16_t notifiable, bool on)
{
    uint32_t mask = UINT32_C(1) << notifiable % 32;
    host->port->enter_critical(host->port->context);
    uint32_t word = host->changed.words[notifiable / 32];
    YS_STORE(host->changed.words[notifiable / 32], on ? word | mask : word & ~mask);
    host->port->leave_critical(host->port->context);
}

void ys_host_changed(struct ys_host *host, uint16_t handle)
{
    uint16_t notifiable = ys_notifiable_of(host, handle);
    if (notifiable == YS_NONE)
        return;
    set_changed(host, notifiable, true);
    ys_wake_owner(host);
}

bool ys_host_is_subscribed(const struct ys_host *host, uint16_t handle)
{
    uint16_t notifiable = ys_notifiable_of(host, handle);
    for (size_t i = 0; notifiable != YS_NONE && i < YS_CONNECTIONS; i++) {
        if (host->connections[i].used && ys_configuration_of(&host->connections[i], notifiable) != 0)
            return true;
    }
    return false;
}

bool ys_host_is_subscribed_on(const struct ys_host *host, uint16_t connection, uint16_t handle)
{
    uint16_t notifiable = ys_notifiable_of(host, handle);
    for (size_t i = 0; notifiable != YS_NONE && i < YS_CONNECTIONS; i++) {
        if (host->connections[i].used && host->connections[i].handle == connection)
            return ys_configuration_of(&host->connections[i], notifiable) != 0;
    }
    return false;
}

/* The longest time until a host with a quiet characteristic wants to run, so that the end of its spacing is not missed
 * by a clock that wraps: half of its range. */
#define QUIET_CHECK_MS 0x40000000u

static bool is_quiet(const struct ys_host *host, uint16_t notifiable, uint32_t now_ms)
{
    return ys_bit_get(&host->quiet, notifiable) && ys_until_ms(now_ms, host->quiet_until_ms[notifiable]) > 0;
}

/* The value was passed on, or has no subscriber: now its spacing begins, if it has one. */
static void begin_spacing(struct ys_host *host, uint16_t notifiable, bool wanted, uint32_t now_ms)
{
    uint16_t spacing_ms = host->table->notifiables[notifiable].spacing_ms;
    ys_bit_set(&host->quiet, notifiable, wanted && spacing_ms > 0);
    host->quiet_until_ms[notifiable] = now_ms + spacing_ms;
}

enum ys_result ys_host_notify(struct ys_host *host, uint16_t connection, uint16_t handle)
{
    YS_NOT_IN_INTERRUPT(host, "ys_host_notify");
    uint16_t notifiable = ys_notifiable_of(host, handle);
    uint32_t now_ms = ys_now_ms(host);
    struct ys_connection *whose = ys_connection_find(host, connection);
    if (whose == NULL)
        return YS_ERROR_NO_CONNECTION;
    if (notifiable == YS_NONE || ys_configuration_of(whose, notifiable) == 0)
        return YS_ERROR_NOT_SUBSCRIBED;
    if (is_quiet(host, notifiable, now_ms))
        return YS_ERROR_BUSY;
    ys_bit_set(&whose->pending, notifiable, true);
    begin_spacing(host, notifiable, true, now_ms);
    ys_wake(host);
    return YS_OK;
}

static void pass_on(struct ys_host *host, uint16_t notifiable, uint32_t now_ms)
{
    bool wanted = false;
    set_changed(host, notifiable, false);
    for (struct ys_connection *connection = NULL; (connection = ys_connection_next(host, connection)) != NULL;) {
        if (ys_configuration_of(connection, notifiable) != 0) {
            ys_bit_set(&connection->pending, notifiable, true);
            wanted = true;
        }
    }
    begin_spacing(host, notifiable, wanted, now_ms);
}

static void collect_word(struct ys_host *host, size_t word, uint32_t now_ms)
{
    uint32_t changed = changed_word(host, word);
    uint32_t active = changed | host->quiet.words[word];
    for (uint16_t i = (uint16_t)(32 * word); active != 0; i++, active >>= 1, changed >>= 1) {
        if ((active & 1) == 0 || is_quiet(host, i, now_ms))
            continue;
        ys_bit_set(&host->quiet, i, false);
        if ((changed & 1) != 0)
            pass_on(host, i, now_ms);
    }
}

void ys_notify_collect(struct ys_host *host, uint32_t now_ms)
{
    for (size_t word = 0; word < ys_words(host); word++) {
        if ((changed_word(host, word) | host->quiet.words[word]) != 0)
            collect_word(host, word, now_ms);
    }
}

static uint32_t wait_of_word(const struct ys_host *host, size_t word, uint32_t now_ms)
{
    uint32_t changed = changed_word(host, word);
    uint32_t wait = host->quiet.words[word] != 0 ? QUIET_CHECK_MS : YS_FOREVER;
    for (uint16_t i = (uint16_t)(32 * word); changed != 0; i++, changed >>= 1) {
        uint32_t until = is_quiet(host, i, now_ms) ? ys_until_ms(now_ms, host->quiet_until_ms[i]) : 0;
        if ((changed & 1) != 0 && until < wait)
            wait = until;
    }
    return wait;
}

uint32_t ys_notify_wait_ms(const struct ys_host *host, uint32_t now_ms)
{
    uint32_t wait = YS_FOREVER;
    for (size_t word = 0; word < ys_words(host); word++) {
        if ((changed_word(host, word) | host->quiet.words[word]) == 0)
            continue;
        uint32_t until = wait_of_word(host, word, now_ms);
        wait = until < wait ? until : wait;
    }
    return wait;
}
