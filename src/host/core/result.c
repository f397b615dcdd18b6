/* Results in words, each with what to do about it. */
#include <yarnswift/result.h>

#include <stddef.h>

const char *ys_result_text(enum ys_result result)
{
    static const char *const texts[] = {
        [YS_OK] = "all is well",
        [YS_ERROR_CONFIGURATION] = "library and firmware differ in a size of config.h: compile both with the same",
        [YS_ERROR_PORT_SEND] = "the port has no send: give it one, packets must reach the controller",
        [YS_ERROR_PORT_RECEIVE] = "the port has no receive: give it one, packets must come from the controller",
        [YS_ERROR_PORT_CLOCK] = "the port has no now_ms: give it a millisecond clock",
        [YS_ERROR_PORT_RANDOM] = "the port has no random: give it one, or use a public address",
        [YS_ERROR_PORT_CRITICAL] = "the port lacks enter_critical or leave_critical: give it both",
        [YS_ERROR_PORT_CIPHER] = "the port has no encrypt: give it AES-128, pairing needs it",
        [YS_ERROR_PORT_CURVE] = "the port lacks the curve: give it curve_key, curve_secret and curve_result, or none",
        [YS_ERROR_PORT_STORE] =
            "the port has a part of a store: give it store_put, store_get and store_delete, or none",
        [YS_ERROR_TABLE] = "no attribute table: generate one, or use ys_table_bare",
        [YS_ERROR_TABLE_NOTIFIABLES] = "the table has more notifying characteristics than YS_NOTIFIABLES: raise it",
        [YS_ERROR_TABLE_VALUES] = "the table stores values: give its memory, NAME_VALUES_SIZE bytes",
        [YS_ERROR_NOT_READY] = "the host is not ready: start it, and wait for YS_EVENT_READY",
        [YS_ERROR_ARGUMENT] = "an argument is out of its range",
        [YS_ERROR_NO_CONNECTION] = "there is no such connection",
        [YS_ERROR_UNSUPPORTED] =
            "it needs sets, pairing, links or channels: call ys_host_use_... of what it belongs to",
        [YS_ERROR_NO_ROOM] = "no more connections or sets fit: raise YS_CONNECTIONS or YS_SETS, or end one",
        [YS_ERROR_TOO_LATE] = "it was answered already, or its connection has ended",
        [YS_ERROR_NOT_SUBSCRIBED] = "the other side has not subscribed to it: wait for YS_EVENT_SUBSCRIPTION",
        [YS_ERROR_CONTEXT] =
            "it was called from an interrupt: only ys_host_changed, ys_stream_append and ys_work_ask may be",
        [YS_ERROR_BUSY] = "the same is already going on: wait for its end",
    };
    size_t index = (size_t)result;
    return index < sizeof texts / sizeof texts[0] ? texts[index] : "an unknown result";
}
