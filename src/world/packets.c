/* The last packets on the air, in the words of a trace. */
#include "world/packets.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/say/message.h"

#define KEPT      512
#define NAME_MOST 40

struct kept {
    uint64_t at_ns;
    char from[NAME_MOST];
    uint8_t channel;
    bool overlapped;
    bool telling;      /* not empty, nor advertising */
    const char *plain; /* what is said of it where that is always the same; NULL: */
    char text[180];
};

struct ys_packets {
    struct ys_world *world;
    struct ys_recording recording;
    struct ys_follower *follower;
    struct ys_glossary glossary;
    struct kept kept[KEPT];
    uint64_t count;
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
    if (!ys_message_of(seen, YS_TRACE_AIR, &packets->glossary, &message))
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
    packets->recording.sink = (struct ys_record_sink){.take = ys_follower_take, .context = packets->follower};
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
