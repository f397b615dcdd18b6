/* A central listens, until it hears whom it looks for. */
#include "world/finding.h"

#include <stdio.h>
#include <string.h>

#include "world/tasks.h"

/* What the advertisement promises, by the names of the definition. */
static void list_promises(const struct ys_design *design, const struct ys_event *event, char *text, size_t size)
{
    size_t used = 0;
    text[0] = '\0';
    for (size_t i = 0; design != NULL && i < design->service_count && used < size; i++) {
        const struct ys_service *service = &design->services[i];
        if (ys_ad_has_service(event->u.report.data, event->u.report.length, &service->uuid))
            used += (size_t)snprintf(text + used, size - used, "%s%s", used > 0 ? ", " : ", offers ", service->name);
    }
}

/* Who has sent a report, heard before or not; NULL: it is one too many. */
static struct ys_advertiser *heard_of(struct ys_central *central, const struct ys_event *event)
{
    for (size_t i = 0; i < central->heard_count; i++) {
        if (ys_address_is_equal(&central->heard[i].address, &event->u.report.address))
            return &central->heard[i];
    }
    if (central->heard_count == YS_ADVERTISERS_MOST)
        return NULL;
    struct ys_advertiser *heard = &central->heard[central->heard_count++];
    *heard = (struct ys_advertiser){.address = event->u.report.address};
    return heard;
}

/* Keeps what a report tells of its sender. */
static void note(struct ys_advertiser *heard, const struct ys_event *event)
{
    const struct ys_extended_report *extended = event->u.report.extended;
    struct ys_ad ad;
    if (ys_ad_find(event->u.report.data, event->u.report.length, YS_AD_NAME, &ad) ||
        ys_ad_find(event->u.report.data, event->u.report.length, YS_AD_SHORT_NAME, &ad))
        (void)snprintf(heard->name, sizeof heard->name, "%.*s", (int)ad.length, (const char *)ad.data);
    if (event->u.report.type == YS_REPORT_RESPONSE)
        return;
    bool connectable = event->u.report.type == YS_REPORT_CONNECTABLE;
    heard->packets++;
    heard->rssi_dbm = event->u.report.rssi_dbm;
    if (heard->connectable && !connectable)
        return;
    heard->connectable = connectable;
    heard->extended = extended != NULL;
    heard->phy = extended != NULL ? extended->primary_phy : (uint8_t)YS_1M;
    heard->length = event->u.report.length < sizeof heard->data ? event->u.report.length : sizeof heard->data;
    memcpy(heard->data, event->u.report.data, heard->length);
}

const struct ys_advertiser *ys_central_advertiser(const struct ys_central *central, size_t i)
{
    return i < central->heard_count ? &central->heard[i] : NULL;
}

/* Lists the devices that it hears: each once in a search, or once a second where all reports are listed. */
static void list_heard(struct ys_central *central, const struct ys_event *event)
{
    char address[YS_ADDRESS_TEXT_SIZE];
    char promises[160];
    const char *name = NULL;
    struct ys_advertiser *heard = heard_of(central, event);
    if (heard == NULL)
        return;
    uint64_t now_ns = ys_world_now_ns(central->world);
    note(heard, event);
    bool is_new = heard->packets == 1;
    if (event->u.report.type == YS_REPORT_RESPONSE ||
        (!is_new && (central->listing != YS_LIST_ALL || now_ns - heard->at_ns < YS_NS_PER_S)))
        return;
    heard->at_ns = now_ns;
    const struct ys_design *design = central->known(central->context, &event->u.report.address, &name);
    list_promises(central->traits->knows ? design : NULL, event, promises, sizeof promises);
    central_say(central, "hears %s (%s), %s, %d dBm%s", ys_address_format(&event->u.report.address, address),
                ys_address_kind(&event->u.report.address),
                event->u.report.type == YS_REPORT_CONNECTABLE ? "connectable" : "not connectable",
                event->u.report.rssi_dbm, promises);
}

/* It only listens. */
static bool wants_nobody(const struct ys_wanted *wanted)
{
    return wanted->name == NULL && wanted->address == NULL && wanted->service == NULL;
}

static bool is_address(const struct ys_address *wanted, const struct ys_address *heard)
{
    return wanted->type == YS_ANY_TYPE ? memcmp(wanted->bytes, heard->bytes, sizeof heard->bytes) == 0
                                       : ys_address_is_equal(wanted, heard);
}

static bool is_wanted(const struct ys_wanted *wanted, const struct ys_event *event)
{
    const uint8_t *data = event->u.report.data;
    uint16_t length = event->u.report.length;
    struct ys_ad ad;
    if (wanted->address != NULL && !is_address(wanted->address, &event->u.report.address))
        return false;
    if (wanted->service != NULL && !ys_ad_has_service(data, length, wanted->service))
        return false;
    if (wanted->name == NULL)
        return wanted->address != NULL || wanted->service != NULL;
    if (ys_ad_find(data, length, YS_AD_NAME, &ad))
        return ad.length == strlen(wanted->name) && memcmp(ad.data, wanted->name, ad.length) == 0;
    /* CSS Part A 1.2: a shortened name is the beginning of the whole one */
    return ys_ad_find(data, length, YS_AD_SHORT_NAME, &ad) && ad.length > 0 && ad.length < strlen(wanted->name) &&
           memcmp(ad.data, wanted->name, ad.length) == 0;
}

static void end_find(struct ys_task *task)
{
    struct ys_central *central = task->central;
    task_remove(&central->finds, task);
    if (central->finds == NULL)
        (void)ys_scan_stop(central->host);
}

void central_heard(struct ys_central *central, const struct ys_event *event)
{
    if (central->finds != NULL)
        list_heard(central, event);
    for (struct ys_task *task = central->finds, *next; task != NULL; task = next) {
        next = task->next;
        if (!is_wanted(task->wanted, event))
            continue;
        if (task->wanted->name != NULL)
            central_say(central, "hears its name: \"%s\"", task->wanted->name);
        task->peer = ys_central_peer(central, &event->u.report.address);
        central->found = task->peer;
        end_find(task);
        task_end(task, task->peer != NULL, "found it after %.1f ms", task_passed_ms(task));
    }
}

static void give_up_finding(struct ys_task *task)
{
    double seconds = (double)task->patience_ns / (double)YS_NS_PER_S;
    end_find(task);
    if (wants_nobody(task->wanted))
        task_end(task, true, "has listened for %g s", seconds);
    else
        task_end(task, false, "has not found it within %g s", seconds);
}

static void say_wanted(const struct ys_task *task)
{
    const struct ys_wanted *wanted = task->wanted;
    char text[YS_UUID_TEXT_SIZE + YS_ADDRESS_TEXT_SIZE];
    if (wants_nobody(wanted))
        central_say(task->central, "scans: 30 ms of every 60 ms, actively");
    else if (wanted->name != NULL)
        central_say(task->central, "scans for \"%s\": 30 ms of every 60 ms, actively", wanted->name);
    else if (wanted->service != NULL)
        central_say(task->central, "scans for the service %s: 30 ms of every 60 ms, actively",
                    ys_uuid_format(wanted->service, text));
    else
        central_say(task->central, "scans for %s: 30 ms of every 60 ms, actively",
                    ys_address_format(wanted->address, text));
}

void ys_begin_find(struct ys_task *task, struct ys_central *central, const struct ys_wanted *wanted,
                   uint64_t at_most_ns)
{
    const struct ys_scanning scanning = {
        .interval_us = 60000, .window_us = 30000, .active = true, .phys = central_phys(central)};
    task_begin(task, central, NULL, "find it", at_most_ns);
    task->wanted = wanted;
    task->give_up = give_up_finding;
    enum ys_result result = ys_central_is_on(central) ? YS_OK : YS_ERROR_NOT_READY;
    if (result == YS_OK && central->finds == NULL) {
        central->heard_count = 0;
        result = ys_scan(central->host, &scanning);
    }
    if (result != YS_OK) {
        task_end(task, false, "cannot scan: %s", ys_result_text(result));
        return;
    }
    task_add(&central->finds, task);
    say_wanted(task);
}
