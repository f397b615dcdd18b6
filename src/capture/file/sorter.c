/* Records in the order of their times: a ring, kept sorted. A new one goes in from its end, where it nearly always
 * belongs. */
#include "capture/file/sorter.h"

#include <stdlib.h>
#include <string.h>

/* No packet is on the air longer (Core 5.4 Vol 6 Part B 4.5.10), with some room. */
#define LONGEST_NS UINT64_C(18000000)

struct held {
    struct ys_record record;
    uint8_t *bytes; /* of an HCI packet */
};

struct ys_sorter {
    struct ys_record_sink sink;
    struct held *ring;
    size_t capacity; /* a power of two */
    size_t first;
    size_t count;
    uint64_t number;
};

struct ys_sorter *ys_sorter_new(const struct ys_record_sink *sink)
{
    struct ys_sorter *sorter = calloc(1, sizeof *sorter);
    if (sorter == NULL)
        return NULL;
    sorter->sink = *sink;
    sorter->capacity = 64;
    sorter->ring = calloc(sorter->capacity, sizeof *sorter->ring);
    if (sorter->ring != NULL)
        return sorter;
    free(sorter);
    return NULL;
}

static struct held *held_at(struct ys_sorter *sorter, size_t index)
{
    return &sorter->ring[(sorter->first + index) & (sorter->capacity - 1)];
}

static void move(struct held *to, const struct held *from)
{
    ys_record_copy(&to->record, &from->record);
    to->bytes = from->bytes;
}

static void grow(struct ys_sorter *sorter)
{
    struct held *ring = calloc(2 * sorter->capacity, sizeof *ring);
    if (ring == NULL)
        abort(); /* a capture that has lost records would tell of faults that are none */
    for (size_t i = 0; i < sorter->count; i++)
        move(&ring[i], held_at(sorter, i));
    free(sorter->ring);
    sorter->ring = ring;
    sorter->capacity *= 2;
    sorter->first = 0;
}

static void hand_on(struct ys_sorter *sorter)
{
    struct held *held = held_at(sorter, 0);
    held->record.number = ++sorter->number;
    held->record.bytes = held->bytes;
    sorter->sink.take(sorter->sink.context, &held->record);
    free(held->bytes);
    sorter->first = (sorter->first + 1) & (sorter->capacity - 1);
    sorter->count--;
}

/* The place of a new record. */
static struct held *open_place(struct ys_sorter *sorter, uint64_t at_ns)
{
    if (sorter->count == sorter->capacity)
        grow(sorter);
    size_t index = sorter->count++;
    for (; index > 0 && held_at(sorter, index - 1)->record.at_ns > at_ns; index--)
        move(held_at(sorter, index), held_at(sorter, index - 1));
    return held_at(sorter, index);
}

static void hand_on_old(struct ys_sorter *sorter, uint64_t at_ns)
{
    while (sorter->count > 0 && held_at(sorter, 0)->record.at_ns + LONGEST_NS < at_ns)
        hand_on(sorter);
}

void ys_sorter_take(struct ys_sorter *sorter, const struct ys_record *record)
{
    struct held *held = open_place(sorter, record->at_ns);
    ys_record_copy(&held->record, record);
    held->bytes = NULL;
    if (record->length > 0) {
        held->bytes = malloc(record->length);
        if (held->bytes == NULL)
            abort();
        memcpy(held->bytes, record->bytes, record->length);
    }
    hand_on_old(sorter, record->at_ns);
}

void ys_sorter_take_air(struct ys_sorter *sorter, const struct ys_air_packet *packet)
{
    struct held *held = open_place(sorter, packet->start_ns);
    memset(&held->record, 0, offsetof(struct ys_record, air));
    held->record.kind = YS_RECORD_AIR;
    held->record.at_ns = packet->start_ns;
    held->record.known = YS_AIR_CHANNEL | YS_AIR_STRENGTH | YS_AIR_CRC | YS_AIR_PHY;
    memcpy(&held->record.air, packet, offsetof(struct ys_air_packet, pdu) + packet->length);
    held->bytes = NULL;
    hand_on_old(sorter, packet->start_ns);
}

void ys_sorter_end(struct ys_sorter *sorter)
{
    while (sorter->count > 0)
        hand_on(sorter);
}

void ys_sorter_free(struct ys_sorter *sorter)
{
    if (sorter == NULL)
        return;
    while (sorter->count > 0) {
        free(held_at(sorter, 0)->bytes);
        sorter->first = (sorter->first + 1) & (sorter->capacity - 1);
        sorter->count--;
    }
    free(sorter->ring);
    free(sorter);
}
