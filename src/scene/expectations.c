/* Expectations of a scene: values that arrive or not, lines of a log, the end of a connection. */
#include "scene/expectations.h"

#include <stdio.h>
#include <string.h>

#include "design/making/value_unknown.h"
#include "design/model/value.h"
#include "scene/acting.h"
#include "scene/verbs.h"

static double seconds(uint64_t us)
{
    return (double)us / 1e6;
}

static void add_expected(struct act *act, const char *text, double number)
{
    size_t used = strlen(act->expected);
    (void)snprintf(act->expected + used, sizeof act->expected - used, text, number);
}

/* How long it waits, unless it says so. */
static uint64_t patience_us(const struct act *act)
{
    const struct ys_step *step = act->step;
    return step->within_us.given ? step->within_us.number : act_who(act)->actor->traits.patience_us;
}

/* For how long nothing may come, which the act is to expect. */
static void begin_none(struct act *act, const char *what)
{
    const struct ys_step *step = act->step;
    if (step->meanwhile)
        (void)snprintf(act->expected, sizeof act->expected, "no %s meanwhile", what);
    else
        (void)snprintf(act->expected, sizeof act->expected, "no %s for %g s", what, seconds(step->for_us.number));
    act->until_ns = step->meanwhile ? UINT64_MAX : act_now_ns(act) + step->for_us.number * YS_NS_PER_US;
}

static void wait_for(struct act *act, uint64_t us)
{
    act->until_ns = act_now_ns(act) + us * YS_NS_PER_US;
}

/* values */

/* The next arrival of what the act looks at. */
static const struct ys_arrival *next(struct act *act)
{
    const struct ys_central *central = act_who(act)->central;
    while (act->number < ys_central_received(central)) {
        const struct ys_arrival *arrival = ys_central_arrival(central, act->number++);
        if (arrival == NULL || arrival->peer != act->peer || arrival->handle != act->handle)
            continue;
        act->seen++;
        act->last = act->number - 1;
        return arrival;
    }
    return NULL;
}

/* The value of an arrival, or of the field that is compared, in words. */
static void say_arrival(const struct act *act, const struct ys_arrival *arrival, char *text, size_t size)
{
    const struct ys_step *step = act->step;
    size_t length = arrival->length;
    const uint8_t *bytes = act_compared(act, arrival->bytes, &length);
    if (bytes == NULL)
        (void)snprintf(text, size, "without %s", step->field_text.text);
    else
        ys_value_say(step->field, bytes, length, text, size);
}

/* Keeps the least and the greatest, where values are numbers. */
static void note_ends(struct act *act, const struct ys_arrival *arrival)
{
    const struct ys_step *step = act->step;
    size_t length = arrival->length;
    const uint8_t *bytes = arrival->bytes;
    double number = 0;
    if (step->characteristic != NULL && step->field != &step->characteristic->type)
        bytes = ys_value_part(&step->characteristic->type, bytes, length, step->field, &length);
    if (bytes == NULL || !ys_value_number(step->field, bytes, length, &number))
        return;
    for (int i = 0; i < 2; i++) {
        bool further = i == 0 ? number < act->numbers[0] : number > act->numbers[1];
        if (act->seen > 1 && !further)
            continue;
        act->numbers[i] = number;
        say_arrival(act, arrival, act->ends[i], sizeof act->ends[i]);
    }
}

/* What came, if it was not as expected. */
static void fail_with_values(struct act *act)
{
    char text[300];
    if (act->seen == 0) {
        act_end(act, false, "no value received");
        return;
    }
    const struct ys_arrival *last = ys_central_arrival(act_who(act)->central, act->last);
    if (last != NULL)
        say_arrival(act, last, text, sizeof text);
    else
        (void)snprintf(text, sizeof text, "forgotten");
    if (act->step->order_count > 0)
        act_end(act, false, "%llu values received, of which %llu were the next in order; the last is %s",
                (unsigned long long)act->seen, (unsigned long long)act->matched, text);
    else
        act_end(act, false, "%llu value%s received, the last is %s", (unsigned long long)act->seen,
                act->seen == 1 ? "" : "s", text);
}

/* A value that does not fit its definition has no fields to compare. */
static bool fail_misfit(struct act *act, const struct ys_arrival *arrival)
{
    char text[300];
    if (arrival->fits)
        return false;
    ys_value_show(ys_peer_field(act->peer, act->handle), arrival->bytes, arrival->length, text, sizeof text);
    act_end(act, false, "%s: " YS_DOES_NOT_FIT, text);
    return true;
}

static void expect_in_order(struct act *act)
{
    size_t used = 0;
    for (size_t i = 0; i < act->step->order_count && used < sizeof act->expected; i++)
        used += (size_t)snprintf(act->expected + used, sizeof act->expected - used, "%s%s", i > 0 ? ", then " : "",
                                 act->step->order_text[i].text);
}

void begin_expect(struct act *act)
{
    const struct ys_step *step = act->step;
    if (step->order_count > 0)
        expect_in_order(act);
    else if (step->rate_count > 0)
        (void)snprintf(act->expected, sizeof act->expected, "%s to %s values a second", step->rate_text[0].text,
                       step->rate_text[1].text);
    else
        act_say_value(act);
    if (step->for_us.given)
        add_expected(act, ", for %g s", seconds(step->for_us.number));
    else
        add_expected(act, ", within %g s", seconds(patience_us(act)));
    if (!act_find_value(act))
        return;
    act->number = step->for_us.given ? ys_central_received(act_who(act)->central) : *act_mark(act);
    wait_for(act, step->for_us.given ? step->for_us.number : patience_us(act));
}

/* One that must come: it is the last that was looked at. */
static void poll_until_met(struct act *act)
{
    const struct ys_step *step = act->step;
    const struct ys_arrival *arrival;
    char text[300];
    while ((arrival = next(act)) != NULL) {
        if (fail_misfit(act, arrival))
            return;
        const struct ys_bytes *wanted = step->order_count > 0 ? &step->order[act->matched] : NULL;
        size_t length = arrival->length;
        const uint8_t *bytes = act_compared(act, arrival->bytes, &length);
        bool fits = wanted == NULL
                        ? act_value_fits(act, arrival->bytes, arrival->length)
                        : bytes != NULL && wanted->length == length && memcmp(wanted->bytes, bytes, length) == 0;
        act->matched += fits;
        if (!fits || act->matched < step->order_count)
            continue;
        *act_mark(act) = act->number;
        say_arrival(act, arrival, text, sizeof text);
        act_end(act, true, "%s", text);
        return;
    }
    if (act_now_ns(act) >= act->until_ns)
        fail_with_values(act);
}

/* All that come meanwhile. */
static void poll_all(struct act *act)
{
    const struct ys_step *step = act->step;
    const struct ys_arrival *arrival;
    while ((arrival = next(act)) != NULL) {
        if (fail_misfit(act, arrival))
            return;
        note_ends(act, arrival);
        if (!act_value_fits(act, arrival->bytes, arrival->length)) {
            fail_with_values(act);
            return;
        }
    }
    if (act_now_ns(act) < act->until_ns)
        return;
    double rate = (double)act->seen / seconds(step->for_us.number);
    *act_mark(act) = act->number;
    if (step->rate_count > 0)
        act_end(act, rate >= step->rate[0] && rate <= step->rate[1], "%.1f a second", rate);
    else if (act->seen == 0)
        act_end(act, false, "no value received");
    else if (act->ends[0][0] != '\0')
        act_end(act, true, "%llu values received, %s to %s", (unsigned long long)act->seen, act->ends[0], act->ends[1]);
    else
        act_end(act, true, "%llu values received", (unsigned long long)act->seen);
}

void poll_expect(struct act *act)
{
    if (act->step->for_us.given)
        poll_all(act);
    else
        poll_until_met(act);
}

void begin_expect_none(struct act *act)
{
    begin_none(act, "value");
    if (!act_find_value(act))
        return;
    act->number = ys_central_received(act_who(act)->central);
}

void poll_expect_none(struct act *act)
{
    const struct ys_arrival *arrival = next(act);
    if (arrival != NULL) {
        char text[300];
        say_arrival(act, arrival, text, sizeof text);
        act_end(act, false, "%s came", text);
    } else if (act_now_ns(act) >= act->until_ns) {
        act_end(act, true, "none came");
    }
}

/* the log */

void begin_expect_log(struct act *act)
{
    (void)snprintf(act->expected, sizeof act->expected, "\"%s\" in the log, within %g s", act->step->object.text,
                   seconds(patience_us(act)));
    act->number = act_who(act)->log_mark > act->log_from ? act_who(act)->log_mark : act->log_from;
    wait_for(act, patience_us(act));
}

/* The next line of the device's log that has the text in it, or NULL. */
static const struct ys_log_line *next_line(struct act *act)
{
    const struct ys_take *take = act->stage->take;
    while (act->number < take->line_count) {
        const struct ys_log_line *line = &take->lines[act->number++];
        if (strcmp(line->who, act_who(act)->actor->name.text) == 0 &&
            strstr(line->text, act->step->object.text) != NULL)
            return line;
    }
    return NULL;
}

void poll_expect_log(struct act *act)
{
    const struct ys_log_line *line = next_line(act);
    struct on_stage *one = act_who(act);
    if (line != NULL) {
        if (one->log_mark < act->number)
            one->log_mark = act->number;
        act_end(act, true, "%s", line->text);
    } else if (act_now_ns(act) >= act->until_ns) {
        act_end(act, false, "no such line came");
    }
}

void begin_expect_no_log(struct act *act)
{
    char what[300];
    (void)snprintf(what, sizeof what, "\"%s\" in the log", act->step->object.text);
    begin_none(act, what);
    act->number = act->stage->take->line_count;
}

void poll_expect_no_log(struct act *act)
{
    const struct ys_log_line *line = next_line(act);
    if (line != NULL)
        act_end(act, false, "%s", line->text);
    else if (act_now_ns(act) >= act->until_ns)
        act_end(act, true, "no such line came");
}

/* the end of a connection */

void begin_expect_disconnection(struct act *act)
{
    (void)snprintf(act->expected, sizeof act->expected, "an end of the connection%s%s, within %g s",
                   act->step->because.text != NULL ? ": " : "",
                   act->step->because.text != NULL ? act->step->because.text : "", seconds(patience_us(act)));
    if (act_find_peer(act))
        wait_for(act, patience_us(act));
}

void poll_expect_disconnection(struct act *act)
{
    const char *because = act->step->because.text;
    if (ys_peer_connections(act->peer) > 0 && !ys_peer_is_connected(act->peer)) {
        char text[200];
        uint8_t reason = ys_peer_reason(act->peer);
        (void)snprintf(text, sizeof text, "%s (0x%02X)", ys_hci_error_text(reason), reason);
        act_end(act, because == NULL || ys_reason_is(because, text), "%s", text);
    } else if (act_now_ns(act) >= act->until_ns) {
        act_end(act, false, "%s",
                ys_peer_is_connected(act->peer) ? "it is still connected" : "it has never been connected");
    }
}
