/* What a stranger does: it pairs, and it talks nonsense. */
#include "world/stranger.h"

#include <stdio.h>
#include <string.h>

#include "sim/chance.h"
#include "simulated/simulated.h"
#include "wire/l2cap.h"
#include "world/peer.h"
#include "world/tasks.h"

#define NONSENSE_EVERY_NS (20 * YS_NS_PER_MS)
#define NONSENSE_MOST     60
#define CHANCE_OF_TALK    UINT64_C(0x400000000)
#define PAIR_AGAIN_NS     YS_NS_PER_S
#define PAIR_TRIES        3

/* The standard gives up after 30 s of silence; people take their time before. */
#define PAIR_PATIENCE_NS (40 * YS_NS_PER_S) /* at least: people take their time */

/* pairing */

static void end_pairing(struct ys_task *task, bool good, const char *what)
{
    task->central->pairing = NULL;
    task_end(task, good, "%s", what);
}

static void ask(struct ys_task *task)
{
    enum ys_result result = ys_secure(task->central->host, task->peer->connection, YS_LEVEL_ENCRYPTED);
    if (result != YS_OK && task->central->pairing == task) {
        char text[160];
        (void)snprintf(text, sizeof text, "cannot pair: %s", ys_result_text(result));
        end_pairing(task, false, text);
    }
}

/* Its time is over; or the time between two tries. */
static void ask_again(struct ys_task *task)
{
    if (!task->answered) {
        (void)ys_pairing_cancel(task->central->host, task->peer->connection);
        end_pairing(task, false, "failed to pair: its patience is over");
        return;
    }
    task->answered = false;
    ys_clock_set(task->central->world->clock, &task->timer, ys_world_now_ns(task->central->world) + task->patience_ns);
    ask(task);
}

static void refused(struct ys_task *task, const struct ys_event *event)
{
    struct ys_central *central = task->central;
    uint8_t temper = central->traits->temper;
    char text[200];
    task->answered = true;
    task->error = event->reason;
    if (temper == YS_INSISTS && event->u.failed.by_peer && ++task->again < PAIR_TRIES) {
        ys_clock_set(central->world->clock, &task->timer, ys_world_now_ns(central->world) + PAIR_AGAIN_NS);
        return;
    }
    (void)snprintf(text, sizeof text, "%s%s: %s (0x%02X)%s",
                   event->u.failed.by_peer ? "is refused to pair" : "has not paired",
                   temper == YS_INSISTS && event->u.failed.by_peer ? ", three times" : "",
                   ys_smp_reason_text(event->reason), event->reason, temper == YS_LEAVES ? ", and leaves" : "");
    end_pairing(task, false, text);
    if (temper == YS_LEAVES && task->peer->connected)
        (void)peer_leave(task->peer);
}

void central_paired(struct ys_central *central, const struct ys_event *event)
{
    struct ys_task *task = central->pairing;
    char text[200];
    const char *said = ys_pairing_say(event, text, sizeof text);
    bool its = task != NULL && event->connection == task->peer->connection;
    if (its && event->kind == YS_EVENT_SECURED)
        end_pairing(task, true, said);
    else if (its && event->kind == YS_EVENT_PAIRING_FAILED)
        refused(task, event);
    else if (its && event->kind == YS_EVENT_ENCRYPTION_FAILED)
        end_pairing(task, false, said);
    else if (said != NULL)
        central_say(central, "%s", said);
}

void ys_begin_pair(struct ys_task *task, struct ys_peer *peer)
{
    struct ys_central *central = peer->central;
    uint64_t patience_ns = central->traits->patience_us * YS_NS_PER_US;
    task_begin(task, central, peer, "pair", patience_ns > PAIR_PATIENCE_NS ? patience_ns : PAIR_PATIENCE_NS);
    task->give_up = ask_again;
    if (!peer->connected || central->pairing != NULL) {
        task_end(task, false, "cannot pair: %s", peer->connected ? "it does already" : "there is no connection");
        return;
    }
    central->pairing = task;
    ask(task);
}

/* nonsense */

static uint16_t compose(struct ys_chance *chance, uint8_t *bytes, uint16_t *channel)
{
    static const uint16_t channels[] = {YS_L2CAP_ATT, YS_L2CAP_ATT, YS_L2CAP_ATT, YS_L2CAP_SIGNALLING,
                                        YS_L2CAP_SECURITY};
    uint32_t which = ys_chance_below(chance, sizeof channels / sizeof channels[0] + 1);
    uint16_t length = (uint16_t)ys_chance_below(chance, NONSENSE_MOST);
    ys_chance_fill(chance, bytes, NONSENSE_MOST);
    *channel =
        which < sizeof channels / sizeof channels[0] ? channels[which] : (uint16_t)ys_chance_below(chance, UINT16_MAX);
    if (*channel == YS_L2CAP_ATT && ys_chance_below(chance, 2) == 0) { /* a known opcode and a likely handle */
        bytes[0] = (uint8_t)(bytes[0] & 0x3f);
        bytes[1] = (uint8_t)(bytes[1] & 0x3f);
        bytes[2] = 0;
    }
    return length;
}

static void talk(struct ys_task *task)
{
    struct ys_central *central = task->central;
    uint64_t now_ns = ys_world_now_ns(central->world);
    struct ys_chance chance = ys_chance_of(central->world->seed + now_ns, CHANCE_OF_TALK + central->number);
    uint8_t bytes[NONSENSE_MOST];
    uint16_t channel = 0;
    if (!task->peer->connected || now_ns >= task->began_ns + task->patience_ns) {
        task_end(task, true, "sent garbage, %zu frames%s", task->again,
                 task->peer->connected ? "" : ", until the link ended");
        return;
    }
    uint16_t length = compose(&chance, bytes, &channel);
    ys_simulated_inject(central_port(central), task->peer->connection, channel, bytes, length);
    task->again++;
    ys_clock_set(central->world->clock, &task->timer, now_ns + NONSENSE_EVERY_NS);
}

void ys_begin_nonsense(struct ys_task *task, struct ys_peer *peer, uint64_t for_ns)
{
    task_begin(task, peer->central, peer, "talk", for_ns);
    task->give_up = talk;
    if (!peer->connected)
        task_end(task, false, "cannot send garbage: there is no connection");
    else
        talk(task);
}
