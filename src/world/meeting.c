/* A central connects, and parts. */
#include "world/meeting.h"

#include <stdio.h>

#include "world/peer.h"
#include "world/requests.h"
#include "world/tasks.h"
#include "world/whom.h"

#define PAUSE_US_MOST 200000

static void begin_next_connect(struct ys_central *central)
{
    struct ys_task *task = central->connects;
    if (task == NULL || ys_timer_is_set(&central->tries_again))
        return;
    const struct ys_connecting connecting = {
        .interval_us = central->traits->interval_us,
        .latency = central->traits->latency,
        .supervision_timeout_ms = central->traits->supervision_timeout_ms,
        .phys = central_phys(central),
    };
    enum ys_result result = ys_connect(central->host, &task->peer->address, &connecting);
    if (result == YS_OK || result == YS_ERROR_BUSY) /* one that was given up is not over yet */
        return;
    task_remove(&central->connects, task);
    task_end(task, false, "cannot connect: %s", ys_result_text(result));
    begin_next_connect(central);
}

static void try_again(void *context)
{
    begin_next_connect(context);
}

/* Two that collided, and know it at the same moment, would collide again: each waits as long as chance has it. */
static void pause_before_trying_again(struct ys_central *central)
{
    uint64_t pause_us = ys_chance_below(&central->chance, PAUSE_US_MOST);
    central->tries_again = (struct ys_timer){.fire = try_again, .context = central};
    ys_clock_set(central->world->clock, &central->tries_again,
                 ys_world_now_ns(central->world) + pause_us * YS_NS_PER_US);
}

static void end_connect(struct ys_task *task)
{
    struct ys_central *central = task->central;
    task_remove(&central->connects, task);
}

static void give_up_connecting(struct ys_task *task)
{
    struct ys_central *central = task->central;
    double seconds = (double)task->patience_ns / (double)YS_NS_PER_S;
    bool first = central->connects == task;
    const char *what = "connect";
    if (task->peer->connected) { /* it waits for its MTU, and whoever has failed to connect is not connected */
        (void)peer_leave(task->peer);
        what = "agree on an MTU";
    } else {
        end_connect(task);
    }
    if (task->again > 0) /* and may believe that it is connected once more */
        task_end(task, false, "could not connect within %g s: %s (0x%02X)", seconds,
                 ys_hci_error_text(YS_HCI_NOT_ESTABLISHED), YS_HCI_NOT_ESTABLISHED);
    else
        task_end(task, false, "could not %s within %g s", what, seconds);
    if (first)
        (void)ys_connect_cancel(central->host); /* what follows begins the next */
}

void ys_begin_connect(struct ys_task *task, struct ys_peer *peer, uint64_t at_most_ns)
{
    struct ys_central *central = peer->central;
    task_begin(task, central, peer, "connect", at_most_ns);
    task->connects = true;
    task->give_up = give_up_connecting;
    if (peer->connected && !peer->leaving) {
        task_end(task, false, "cannot connect: it is connected with it already");
    } else if (!ys_central_is_on(central)) {
        task_end(task, false, "cannot connect: %s", ys_result_text(YS_ERROR_NOT_READY));
    } else if (!peer->connected) { /* else it begins when the connection of before has ended */
        task_add(&central->connects, task);
        if (central->connects == task)
            begin_next_connect(central);
    }
}

static void mtu_agreed(struct ys_task *task)
{
    task_end(task, true, "has agreed on an MTU of %u bytes: %u of value in one notification", task->request.length,
             task->request.length - 3);
    (void)snprintf(task->brief, sizeof task->brief, "connected, every %g ms, with an MTU of %u",
                   task->central->traits->interval_us / 1000.0, task->request.length);
}

void central_met(struct ys_central *central, const struct ys_event *event)
{
    struct ys_task *task = central->connects;
    bool as_central = event->u.connected.role == YS_ROLE_CENTRAL;
    struct ys_peer *peer = ys_central_peer(central, &event->u.connected.peer);
    if (peer == NULL)
        return;
    if (as_central && (task == NULL || task->peer != peer)) { /* it was given up a moment ago */
        (void)ys_disconnect(central->host, event->connection);
        begin_next_connect(central);
        return;
    }
    peer->connected = true;
    peer->leaving = false;
    peer->connection = event->connection;
    peer->connections++;
    for (size_t i = 0; i < peer->subscribed_count; i++)
        peer->subscribed[i].again = true;
    if (!as_central) {
        central_say(central, "is connected to by %s, every %g ms", peer->name, event->u.connected.interval_us / 1000.0);
        return;
    }
    end_connect(task);
    if (!central->traits->asks_mtu) {
        task_end(task, true, "connected, every %g ms", event->u.connected.interval_us / 1000.0);
    } else {
        central_say(central, "connected, every %g ms", event->u.connected.interval_us / 1000.0);
        task->what = "agree on an MTU";
        task_begun(task, ys_client_exchange_mtu(central->host, event->connection, task_request(task, mtu_agreed)));
    }
    begin_next_connect(central);
}

void central_not_met(struct ys_central *central, uint8_t reason)
{
    struct ys_task *task = central->connects;
    bool waits = task != NULL && (reason != YS_HCI_UNKNOWN_CONNECTION); /* else it has given up already */
    if (waits) {
        end_connect(task);
        task_end(task, false, "failed to connect: %s (0x%02X)", ys_hci_error_text(reason), reason);
    }
    begin_next_connect(central);
}

void central_forget_connection(struct ys_peer *peer, uint8_t reason)
{
    peer->connected = false;
    peer->leaving = false;
    peer->reason = reason;
    if (peer->central->traits->remembering == YS_FORGETS)
        peer_forget(peer);
}

/* Two that answer the same advertisement are both sure that they are connected, and one is not: within six intervals it
 * knows better (Core 5.4 Vol 6 Part B 4.5), and tries again. What waited for the end of the connection begins. */
static void connect_again(struct ys_central *central, const struct ys_peer *peer, bool left, uint8_t reason)
{
    struct ys_task *task = central->running;
    while (task != NULL && (!task->connects || task->peer != peer))
        task = task->next_running;
    if (task == NULL)
        return;
    if (!left && reason != YS_HCI_NOT_ESTABLISHED) {
        task_end(task, false, "failed to connect: %s (0x%02X)", ys_hci_error_text(reason), reason);
        return;
    }
    if (!left) {
        central_say(central, "was not heard, and connects again");
        task->again++;
        pause_before_trying_again(central);
    }
    task_add(&central->connects, task);
    if (central->connects == task)
        begin_next_connect(central);
}

void central_left(struct ys_central *central, const struct ys_event *event)
{
    struct ys_peer *peer = central_peer_of(central, event->connection);
    if (peer == NULL)
        return;
    bool awaited = false;
    bool leaving = peer->leaving;
    central_forget_connection(peer, event->reason);
    if (central->pairing != NULL && central->pairing->peer == peer) {
        struct ys_task *pairing = central->pairing;
        central->pairing = NULL;
        task_end(pairing, false, "has not paired: the connection ended, %s (0x%02X)", ys_hci_error_text(event->reason),
                 event->reason);
    }
    connect_again(central, peer, leaving, event->reason);
    for (struct ys_task *task = central->endings, *next; task != NULL; task = next) {
        next = task->next;
        if (task->peer != peer)
            continue;
        task_remove(&central->endings, task);
        task_end(task, true, "has disconnected");
        awaited = true;
    }
    if (!awaited)
        central_say(central, "is disconnected%s%s: %s (0x%02X)", peer->name != peer->address_text ? " from " : "",
                    peer->name != peer->address_text ? peer->name : "", ys_hci_error_text(event->reason),
                    event->reason);
}

static void give_up_ending(struct ys_task *task)
{
    task_remove(&task->central->endings, task);
    task_end(task, false, "could not disconnect within %g s", (double)task->patience_ns / (double)YS_NS_PER_S);
}

void ys_begin_disconnect(struct ys_task *task, struct ys_peer *peer)
{
    task_begin(task, peer->central, peer, "disconnect", 0);
    task->give_up = give_up_ending;
    if (!peer->connected || !peer_leave(peer)) {
        task_end(task, false, "cannot disconnect: there is no connection");
        return;
    }
    task_add(&peer->central->endings, task);
}
