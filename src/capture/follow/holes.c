/* What a recorder has missed of a connection.
 *
 * Within an event a packet follows the one before it 150 us later; after an event comes the next one an interval
 * later. Where that is not so, packets are missing. Where a peripheral was not heard in an event, it may have been
 * silent: the central's next packet tells, which acknowledges what it has received. Those bits count to two, so that a
 * recorder that misses much may be deceived by them: once it has been seen to miss anything, they are not believed.
 *
 * After a hole nothing that was agreed before is sure. What follows may confirm it; what does not is no breach. */
#include "capture/follow/holes.h"

#include <string.h>

#define US           UINT64_C(1000)
#define ROUNDING_NS  (4 * US) /* of recorders that count microseconds, and what a turn may be off */
#define SHORTEST_NS  (44 * US)
#define AN_ANSWER_NS (2 * YS_LINK_INTER_FRAME_SPACE_NS + SHORTEST_NS)

static bool follows_at_once(const struct ys_air_link *link, const struct ys_link_before *before,
                            const struct ys_record *record, int side)
{
    uint64_t rounding_ns = ROUNDING_NS + link->step_ns;
    uint64_t gap_ns = record->air.start_ns - before->last_end_ns;
    return record->air.start_ns >= before->last_end_ns && side != before->last_side &&
           gap_ns + rounding_ns >= YS_LINK_INTER_FRAME_SPACE_NS && gap_ns <= YS_LINK_INTER_FRAME_SPACE_NS + rounding_ns;
}

/* Whether a central's packet at the beginning of an event is the expected one if nothing of the previous event was
 * missed. */
static bool is_continued(const struct ys_air_link *link, const struct ys_link_before *before,
                         const struct ys_link_data *data, bool same)
{
    const struct ys_link_end *own = &link->ends[0];
    const struct ys_link_end *other = &link->ends[1];
    bool again = data->sequence == own->sequence && same;
    if (!own->any)
        return false;
    if (before->last_side == 0) /* it was not answered */
        return again && data->next_expected == own->next_expected;
    bool was_acknowledged = other->next_expected != own->sequence;
    bool heard = data->next_expected != other->sequence;
    if (!heard) /* nor the acknowledgement in it */
        return again && data->next_expected == own->next_expected;
    return was_acknowledged ? data->sequence != own->sequence : again;
}

/* Its first packet was missed. */
static bool begins_late(const struct ys_air_link *link, const struct ys_record *record)
{
    return link->expected_ns != 0 && record->air.start_ns > link->expected_ns + YS_NEXT_PACKET_NS;
}

static bool is_first(const struct ys_air_link *link, const struct ys_link_before *before,
                     const struct ys_link_seen *seen)
{
    return !before->anchored && link->begun && seen->counter == 0 && seen->side == 0;
}

/* An event of a connection whose interval is not known. */
static bool is_unpaced(const struct ys_air_link *link, const struct ys_link_before *before,
                       const struct ys_link_seen *seen)
{
    return seen->new_event && (!before->paced || link->interval_us == 0);
}

/* Nothing that was agreed is sure from now on. */
static void make_hole(struct ys_air_link *link)
{
    link->holes++;
    link->knows_phys = false;
    link->encryption_unsure = true;
    for (int side = 0; side < 2; side++)
        link->ends[side].lengths = (struct ys_link_lengths){.send_octets = 0};
    ys_dialogue_hole(&link->dialogue);
}

/* How a packet stands to the one before it. */
struct relation {
    bool apart;   /* others may be missing between them */
    bool shown;   /* and surely some are */
    bool skipped; /* events are missing, which a central may have left out, or the recorder missed */
};

/* An event whose central begins it where it must. */
static struct relation relation_of_event(const struct ys_air_link *link, const struct ys_link_before *before,
                                         const struct ys_record *record, const struct ys_link_seen *seen, bool lossy)
{
    const struct ys_link_end *end = &link->ends[0];
    bool next = (uint16_t)(link->counter - before->counter) == 1;
    bool answered = before->last_side == 1;
    bool known = end->start_ns >= link->apart_ns; /* what the central said last */
    bool went_on =
        (!known || end->more || link->ends[1].more) && record->air.start_ns > before->last_end_ns + AN_ANSWER_NS;
    bool same = end->any && end->length == seen->data.length && end->kind == seen->data.kind && end->hash == seen->hash;
    bool continued = is_continued(link, before, &seen->data, same);
    /* who has not heard the other may go on, too */
    bool apart = !next || !answered || went_on || (lossy && !continued);
    return (struct relation){.apart = apart, .shown = apart && !continued, .skipped = !next};
}

static struct relation relation_of(const struct ys_air_link *link, const struct ys_link_before *before,
                                   const struct ys_record *record, const struct ys_link_seen *seen, bool lossy)
{
    if (!before->anchored)
        return (struct relation){.apart = true, .shown = link->begun};
    if (!seen->new_event) {
        bool apart = !follows_at_once(link, before, record, seen->side);
        return (struct relation){.apart = apart, .shown = apart};
    }
    if (is_unpaced(link, before, seen))
        return (struct relation){.apart = true, .shown = seen->side_is_sure && seen->side == 1};
    if ((lossy && !link->counted) || seen->side == 1 || begins_late(link, record))
        return (struct relation){.apart = true, .shown = true};
    return relation_of_event(link, before, record, seen, lossy);
}

/* The reported hole: its beginning, and whose answer may be missing in it. */
static void note_hole(const struct ys_air_link *link, const struct ys_link_before *before,
                      const struct ys_record *record, struct ys_link_seen *seen)
{
    seen->hole_from_ns = before->anchored ? before->last_end_ns : link->begun ? link->request_end_ns : record->at_ns;
    seen->open_record = 0;
    for (int side = 0; side < 2; side++) {
        const struct ys_speaker *speaker = &link->dialogue.speakers[side];
        if (speaker->asked_passed < speaker->asked_count)
            seen->open_record = speaker->asked[speaker->asked_passed].record;
    }
}

void ys_holes_note(struct ys_air_link *link, const struct ys_link_before *before, const struct ys_record *record,
                   struct ys_link_seen *seen, bool *lossy)
{
    const struct ys_link_end *end = &link->ends[seen->side];
    seen->apart = false;
    seen->hole = false;
    if (is_first(link, before, seen) && !*lossy)
        return;
    struct relation relation = relation_of(link, before, record, seen, *lossy);
    *lossy = *lossy || relation.shown || seen->gap;
    seen->apart = relation.apart;
    if (seen->apart)
        link->apart_ns = record->air.start_ns;
    bool unpaced = before->anchored && is_unpaced(link, before, seen); /* nothing tells what is missing */
    /* the same again, or another that is like it */
    bool perhaps_again = seen->repeated && *lossy && end->start_ns < link->apart_ns && seen->data.length > 0;
    seen->hole = seen->gap || perhaps_again || (seen->apart && (*lossy || relation.skipped || unpaced));
    if (!seen->hole)
        return;
    seen->hole_is_shown = *lossy;
    note_hole(link, before, record, seen);
    make_hole(link);
}
