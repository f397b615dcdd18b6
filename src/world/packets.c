/* The last packets on the air, in the words of a trace. Words are costly and seldom needed: the newest records wait,
 * and are put into words when somebody asks, or followed without words when many newer ones wait. */
#include "world/packets.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/say/message.h"
#include "wire/hci.h"

#define KEPT      512
#define WAITING   2048 /* records: also of HCI, which come in between */
#define NAME_MOST 40

struct kept {
    uint64_t at_ns;
    char from[NAME_MOST];
    uint8_t channel;
    bool overlapped;
    bool telling;      /* not empty, nor advertising */
    const char *plain; /* its constant text, or NULL: */
    char text[180];
};

struct waiting {
    struct ys_record record;
    uint8_t bytes[YS_HCI_COMMAND_MAX]; /* of HCI, where a longer one breaks the rules, and does not wait */
};

struct ys_packets {
    struct ys_world *world;
    struct ys_recording recording;
    struct ys_follower *follower;
    struct ys_glossary glossary;
    struct kept kept[KEPT];
    uint64_t count; /* of all packets that were followed */
    struct waiting waiting[WAITING];
    size_t first;
    size_t records;    /* waiting */
    size_t on_the_air; /* of these */
    bool silent;       /* what is followed now gets no words */
};

static void put_words(const struct ys_packets *packets, const struct ys_message *air, struct kept *kept)
{
    struct ys_text text = ys_text_in(kept->text, sizeof kept->text);
    struct ys_message said;
    bool upper = air->seen->said != NULL && air->seen->said->upper != YS_UPPER_NONE &&
                 ys_message_of(air->seen, YS_TRACE_ATTRIBUTES, &packets->glossary, &said);
    ys_message_say(upper ? &said : air, &packets->glossary, &text);
}

static void take(void *context, const struct ys_seen *seen)
{
    struct ys_packets *packets = context;
    struct ys_message message;
    if (packets->silent || !ys_message_of(seen, YS_TRACE_AIR, &packets->glossary, &message))
        return;
    struct kept *kept = &packets->kept[packets->count++ % KEPT];
    kept->at_ns = seen->record->at_ns;
    kept->channel = seen->record->air.channel;
    kept->overlapped = seen->record->air.overlapped;
    struct ys_text from = ys_text_in(kept->from, sizeof kept->from);
    ys_text_add(&from, "%s", message.from[0] != '\0' ? message.from : "somebody");
    bool link = seen->kind == YS_SEEN_LINK && seen->good;
    kept->telling = link && seen->packet.data.length > 0;
    kept->plain = link && kept->telling ? NULL : message.kind;
    if (kept->plain == NULL)
        put_words(packets, &message, kept);
}

/* Follows the record that has waited longest. */
static void follow(struct ys_packets *packets)
{
    struct waiting *waiting = &packets->waiting[packets->first];
    waiting->record.bytes = waiting->bytes;
    ys_follower_take(packets->follower, &waiting->record);
    packets->on_the_air -= waiting->record.kind == YS_RECORD_AIR;
    packets->first = (packets->first + 1) % WAITING;
    packets->records--;
}

static void wait(void *context, const struct ys_record *record)
{
    struct ys_packets *packets = context;
    while (packets->records == WAITING || (packets->records > 0 && record->length > sizeof packets->waiting->bytes))
        follow(packets);
    if (record->length > sizeof packets->waiting->bytes) {
        ys_follower_take(packets->follower, record);
        return;
    }
    struct waiting *waiting = &packets->waiting[(packets->first + packets->records++) % WAITING];
    ys_record_copy(&waiting->record, record);
    if (record->length > 0)
        memcpy(waiting->bytes, record->bytes, record->length);
    packets->on_the_air += record->kind == YS_RECORD_AIR;
    packets->silent = true;
    while (packets->on_the_air > KEPT)
        follow(packets);
    packets->silent = false;
}

struct ys_packets *ys_packets_new(struct ys_world *world, const struct ys_glossary *glossary)
{
    struct ys_packets *packets = calloc(1, sizeof *packets);
    if (packets == NULL)
        return NULL;
    packets->world = world;
    packets->glossary = *glossary;
    packets->follower = ys_follower_new(take, packets);
    if (packets->follower == NULL) {
        free(packets);
        return NULL;
    }
    packets->recording.sink = (struct ys_record_sink){.take = wait, .context = packets};
    ys_world_record(world, &packets->recording);
    return packets;
}

void ys_packets_free(struct ys_packets *packets)
{
    if (packets == NULL)
        return;
    ys_follower_free(packets->follower);
    free(packets);
}

void ys_packets_say(struct ys_packets *packets, size_t count, bool all, void (*line)(void *context, const char *text),
                    void *context)
{
    ys_world_flush(packets->world);
    while (packets->records > 0)
        follow(packets);
    uint64_t first = packets->count > KEPT ? packets->count - KEPT : 0;
    uint64_t from = packets->count;
    for (; from > first && count > 0; from--) {
        const struct kept *kept = &packets->kept[(from - 1) % KEPT];
        count -= all || kept->telling;
    }
    int width = 8;
    for (uint64_t i = from; i < packets->count; i++) {
        const struct kept *kept = &packets->kept[i % KEPT];
        int length = (int)strlen(kept->from);
        width = (all || kept->telling) && length > width ? length : width;
    }
    for (uint64_t i = from; i < packets->count; i++) {
        const struct kept *kept = &packets->kept[i % KEPT];
        char text[360];
        if (!all && !kept->telling)
            continue;
        (void)snprintf(text, sizeof text, "%12.6f s  channel %2u  %-*s %s%s", (double)kept->at_ns / 1e9, kept->channel,
                       width, kept->from, kept->plain != NULL ? kept->plain : kept->text,
                       kept->overlapped ? "  (something else was on the channel)" : "");
        line(context, text);
    }
}
