/* What a central asks of a server: to discover, to read, to write, to subscribe. */
#include "world/requests.h"

#include <stdio.h>
#include <string.h>

#include "design/making/value_unknown.h"
#include "design/model/model.h"
#include "world/central.h"
#include "world/peer.h"
#include "world/tasks.h"

/* How long a value may be in a line. */
#define VALUE_TEXT 400

static const char *const outcomes[] = {
    [YS_OUTCOME_MALFORMED] = "the answer did not fit the question",
    [YS_OUTCOME_TOO_LONG] = "the value is too long",
    [YS_OUTCOME_TIMEOUT] = "no answer came",
    [YS_OUTCOME_DISCONNECTED] = "the connection ended first",
};

static void on_done(struct ys_client_request *request)
{
    struct ys_task *task = request->context;
    if (task->done) /* it was given up */
        return;
    if (request->outcome == YS_OUTCOME_DISCONNECTED && task->connects)
        return; /* why is said by the event that follows */
    if (request->outcome == YS_OUTCOME_DONE) {
        task->finish(task);
    } else if (request->outcome == YS_OUTCOME_REFUSED) {
        task->answered = true;
        task->error = request->error;
        task_end(task, false, "is refused to %s: %s (0x%02X)", task->what, ys_att_error_text(request->error),
                 request->error);
        (void)snprintf(task->brief, sizeof task->brief, "is refused: %s (0x%02X)", ys_att_error_text(request->error),
                       request->error);
    } else {
        task_end(task, false, "failed to %s: %s", task->what, outcomes[request->outcome]);
    }
}

/* It is an answer that it waits for, however many it takes in all; but connecting, which tries again and again, has one
 * time for everything. */
static void renew_patience(struct ys_task *task)
{
    struct ys_world *world = task->central->world;
    if (task->connects)
        return;
    ys_clock_set(world->clock, &task->timer, ys_world_now_ns(world) + task->patience_ns);
}

static void on_item(struct ys_client_request *request, const struct ys_found *found)
{
    struct ys_task *task = request->context;
    struct ys_peer *peer = task->peer;
    if (task->done) /* it was given up */
        return;
    renew_patience(task);
    if (peer->tree_count == FOUND_MOST)
        return;
    peer->tree[peer->tree_count] = (struct discovered){.found = *found};
    peer->tree_count++;
    peer_define(peer, peer->tree_count - 1);
}

struct ys_client_request *task_request(struct ys_task *task, void (*finish)(struct ys_task *task))
{
    renew_patience(task);
    task->request = (struct ys_client_request){.context = task, .on_done = on_done, .on_item = on_item};
    task->finish = finish;
    return &task->request;
}

void task_begun(struct ys_task *task, enum ys_result result)
{
    if (result != YS_OK)
        task_end(task, false, "cannot %s: %s", task->what, ys_result_text(result));
}

/* A request that is not answered blocks all others, so there is nothing to stay for. */
static void give_up_waiting(struct ys_task *task)
{
    (void)peer_leave(task->peer);
    task_end(task, false, "failed to %s: no answer came within %g s, so it disconnects", task->what,
             (double)task->patience_ns / (double)YS_NS_PER_S);
}

static bool begin(struct ys_task *task, struct ys_peer *peer, const char *what)
{
    task_begin(task, peer->central, peer, what, 0);
    task->give_up = give_up_waiting;
    if (!peer->connected)
        task_end(task, false, "cannot %s: there is no connection", what);
    return peer->connected;
}

/* discovering */

static void subscribe_again(struct ys_task *task);

static void discovery_done(struct ys_task *task)
{
    const struct ys_peer *peer = task->peer;
    size_t services = 0;
    for (size_t i = 0; i < peer->tree_count; i++)
        services += peer->tree[i].found.kind == YS_FOUND_SERVICE;
    if (task->central->listing == YS_LIST_NONE) {
        task_end(task, true, "discovered %zu services with %zu values", services, ys_peer_value_count(peer));
        return;
    }
    task_end(task, true, "discovered:");
    ys_peer_list(peer);
}

/* A central that knows no definition asks values what they mean. */
static void ask_presentation(struct ys_task *task);

static void presentation_came(struct ys_task *task)
{
    task->peer->tree[task->again].told = ys_value_told(task->value, task->request.length);
    task->again++;
    ask_presentation(task);
}

static void ask_presentation(struct ys_task *task)
{
    struct ys_peer *peer = task->peer;
    while (task->again < peer->tree_count && (peer->tree[task->again].presentation == 0 || peer->design != NULL))
        task->again++;
    if (task->again < peer->tree_count) {
        task_begun(task, ys_client_read(task->central->host, peer->connection, task_request(task, presentation_came),
                                        peer->tree[task->again].presentation, task->value, sizeof task->value));
        return;
    }
    task->again = 0;
    subscribe_again(task);
}

static void discovered(struct ys_task *task)
{
    struct ys_peer *peer = task->peer;
    peer_sort(peer);
    peer->knows_tree = true;
    task->again = 0;
    ask_presentation(task);
}

static uint16_t configuration_of(const struct ys_peer *peer, const struct ys_uuid *uuid)
{
    for (size_t i = 0; i < peer->tree_count; i++) {
        if (peer->tree[i].found.kind == YS_FOUND_CHARACTERISTIC && ys_uuid_is_equal(&peer->tree[i].found.uuid, uuid))
            return peer->tree[i].configuration;
    }
    return 0;
}

static void subscribed_again(struct ys_task *task)
{
    task->again++;
    subscribe_again(task);
}

static void subscribe_again(struct ys_task *task)
{
    struct ys_peer *peer = task->peer;
    const struct ys_central *central = task->central;
    for (; task->again < peer->subscribed_count; task->again++) {
        struct subscribed *one = &peer->subscribed[task->again];
        uint16_t configuration = configuration_of(peer, &one->uuid);
        if (!central->traits->subscribes_again || !one->again || configuration == 0)
            continue;
        one->again = false;
        task->what = "subscribe again";
        task_begun(task, ys_client_subscribe(central->host, peer->connection, task_request(task, subscribed_again),
                                             configuration, one->kind));
        return;
    }
    discovery_done(task);
}

void ys_begin_discover(struct ys_task *task, struct ys_peer *peer)
{
    struct ys_central *central = peer->central;
    if (!begin(task, peer, "discover"))
        return;
    if (peer->knows_tree && central->traits->remembering == YS_TRUSTS) {
        central_say(central, "trusts the table that it remembers");
        subscribe_again(task);
        return;
    }
    peer_forget(peer);
    if (central->traits->remembering == YS_ASKS)
        task_begun(task, ys_client_discover_cached(central->host, peer->connection, task_request(task, discovered),
                                                   &peer->cache));
    else
        task_begun(task, ys_client_discover(central->host, peer->connection, task_request(task, discovered)));
}

/* reading and writing */

static bool begin_value(struct ys_task *task, struct ys_peer *peer, const char *what, uint16_t handle)
{
    bool good = begin(task, peer, what);
    task->handle = handle;
    return good;
}

/* What is asked for, for messages. */
static void name_what(struct ys_task *task, const char *verb, const char *rest)
{
    char name[32];
    (void)snprintf(task->asked, sizeof task->asked, "%s %s%s", verb,
                   ys_peer_value_name(task->peer, task->handle, name, sizeof name), rest);
    task->what = task->asked;
}

static void read_done(struct ys_task *task)
{
    char text[VALUE_TEXT];
    char name[32];
    task->length = task->request.length;
    const struct ys_field *field = ys_peer_field(task->peer, task->handle);
    task->misfits = field != NULL && !ys_value_fits(field, task->value, task->length);
    ys_value_show(field, task->value, task->length, text, sizeof text);
    task_end(task, !task->misfits, "reads %s: %s%s", ys_peer_value_name(task->peer, task->handle, name, sizeof name),
             text, task->misfits ? ": " YS_DOES_NOT_FIT : "");
    (void)snprintf(task->brief, sizeof task->brief, "%s%s", text, task->misfits ? ": " YS_DOES_NOT_FIT : "");
}

void ys_begin_read(struct ys_task *task, struct ys_peer *peer, uint16_t handle)
{
    if (!begin_value(task, peer, "read", handle))
        return;
    name_what(task, "read", "");
    task_begun(task, ys_client_read(peer->central->host, peer->connection, task_request(task, read_done), handle,
                                    task->value, sizeof task->value));
}

static void write_done(struct ys_task *task)
{
    task_end(task, true, "writes %s", task->asked + strlen("write "));
    (void)snprintf(task->brief, sizeof task->brief, task->commands ? "sent" : "written");
}

void ys_begin_write(struct ys_task *task, struct ys_peer *peer, uint16_t handle, const uint8_t *value, size_t length,
                    bool response)
{
    char text[VALUE_TEXT];
    char rest[VALUE_TEXT + 32];
    struct ys_host *host = peer->central->host;
    if (!begin_value(task, peer, "write", handle))
        return;
    memcpy(task->value, value, length);
    task->commands = !response;
    task->length = (uint16_t)length;
    ys_value_show(ys_peer_field(peer, handle), value, length, text, sizeof text);
    (void)snprintf(rest, sizeof rest, ": %s%s", text, response ? "" : ", without response");
    name_what(task, "write", rest);
    if (response)
        task_begun(task, ys_client_write(host, peer->connection, task_request(task, write_done), handle, task->value,
                                         task->length));
    else
        task_begun(task, ys_client_write_command(host, peer->connection, task_request(task, write_done), handle,
                                                 task->value, task->length));
}

/* subscribing */

static void remember(struct ys_peer *peer, const struct ys_uuid *uuid, uint8_t kind)
{
    size_t i = 0;
    while (i < peer->subscribed_count && !ys_uuid_is_equal(&peer->subscribed[i].uuid, uuid))
        i++;
    if (i == SUBSCRIBED_MOST)
        return;
    peer->subscribed[i] = (struct subscribed){.uuid = *uuid, .kind = kind};
    if (i == peer->subscribed_count)
        peer->subscribed_count++;
    if (kind == YS_SUBSCRIBE_NONE)
        peer->subscribed[i] = peer->subscribed[--peer->subscribed_count];
}

static void subscribe_done(struct ys_task *task)
{
    struct ys_central *central = task->central;
    const struct discovered *one = peer_find(task->peer, task->handle);
    bool on = task->subscription != YS_SUBSCRIBE_NONE;
    char name[32];
    remember(task->peer, &one->found.uuid, task->subscription);
    if (on && central->metered == NULL)
        central->metered = ys_peer_characteristic(task->peer, task->handle);
    task_end(task, true, "has %s %s", on ? "subscribed to" : "unsubscribed from",
             ys_peer_value_name(task->peer, task->handle, name, sizeof name));
}

void ys_begin_subscribe(struct ys_task *task, struct ys_peer *peer, uint16_t handle, enum ys_subscription subscription)
{
    const struct discovered *one = peer_find(peer, handle);
    if (!begin_value(task, peer, "subscribe", handle))
        return;
    task->subscription = (uint8_t)subscription;
    name_what(task, subscription == YS_SUBSCRIBE_NONE ? "unsubscribe from" : "subscribe to", "");
    if (one == NULL || one->configuration == 0)
        task_end(task, false, "cannot %s: it has no client configuration", task->what);
    else
        task_begun(task, ys_client_subscribe(peer->central->host, peer->connection, task_request(task, subscribe_done),
                                             one->configuration, subscription));
}
