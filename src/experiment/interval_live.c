/* A device that a real controller hears. It reports only what it received, and when its host was told. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/advertisement.h>
#include <yarnswift/sets.h>

#include "design/making/payload.h"
#include "experiment/interval.h"
#include "sim/chance.h"
#include "world/device.h"

#define DEVICE_NUMBER  1
#define CENTRAL_NUMBER 2
#define START_NS       (5 * YS_NS_PER_S)
#define FIND_NS        (60 * YS_NS_PER_S)
#define NOT_KNOWN_DBM  127

/* Two reports of one event come one after the other: of its three channels, or of its scan response. */
#define SAME_EVENT_MS 10.0
/* To each interval the standard adds up to 10 ms (Core 5.4 Vol 6 Part B 4.4.2.2.1); and a host is told late. */
#define ONE_LONGER_MS 15.0

struct ear {
    struct ys_host host; /* first, so that it is found from it */
    struct ys_sets sets;
    struct ys_world *world;
    struct ys_simulated *simulated;
    struct ys_interval_report *report;
    const struct ys_design *design;
    struct ys_address address; /* of the device, once it is known */
    bool known;
    bool ready;
    bool failed; /* the controller does not scan so */
    bool watches;
    bool heard; /* since the search began; or the last event, while it is watched */
    uint64_t heard_ns;
};

/* Before its address is known: a report with the name, or the data, of the definition. */
static bool is_it(const struct ear *ear, const struct ys_event *event)
{
    const struct ys_report_filter filter = {.name = ear->design->name.text};
    const struct ys_payload payload = ys_payload_compose(ear->design, ear->design->sets);
    if (ear->known)
        return ys_address_is_equal(&event->u.report.address, &ear->address);
    if (payload.data_length > 0 && event->u.report.length == payload.data_length &&
        memcmp(event->u.report.data, payload.data, payload.data_length) == 0)
        return true;
    return ys_report_filter_passes(&filter, event->u.report.data, event->u.report.length, event->u.report.rssi_dbm);
}

/* An event of the device that was heard while it was watched. */
static void take_event(struct ear *ear, const struct ys_event *event)
{
    struct ys_interval_report *report = ear->report;
    struct ys_advertising_meter *air = &report->air;
    uint64_t now_ns = ys_world_now_ns(ear->world);
    uint64_t after_ns = now_ns - ear->heard_ns;
    double after_ms = (double)after_ns / (double)YS_NS_PER_MS;
    double longest_ms = (double)ear->design->sets->interval_max_us / 1000 + ONE_LONGER_MS;
    if (event->u.report.rssi_dbm != NOT_KNOWN_DBM)
        ys_samples_add(&report->strengths_dbm, event->u.report.rssi_dbm);
    if (air->events > 0 && after_ms < SAME_EVENT_MS)
        return;
    if (air->events > 0 && after_ms <= longest_ms)
        ys_samples_add(&air->intervals_ms, after_ms);
    else if (air->events > 0)
        report->missed += (uint32_t)(after_ms / ((double)ear->design->sets->interval_min_us / 1000 + 5) + 0.5) - 1;
    if (air->events > 0 && after_ns > air->silence_ns) {
        air->silence_ns = after_ns;
        air->silence_from_ns = ear->heard_ns;
    }
    air->events++;
    ear->heard_ns = now_ns;
}

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    struct ear *ear = (struct ear *)(void *)host;
    (void)context;
    ear->ready |= event->kind == YS_EVENT_READY;
    ear->failed |= event->kind == YS_EVENT_SCAN_FAILED;
    if (event->kind != YS_EVENT_REPORT || !is_it(ear, event))
        return;
    ear->address = event->u.report.address;
    ear->known = true;
    if (ear->watches) {
        take_event(ear, event);
    } else if (!ear->heard) {
        ear->heard = true;
        ear->heard_ns = ys_world_now_ns(ear->world);
    }
}

static void observe(void *context, enum ys_direction direction, const uint8_t *packet, size_t length)
{
    const struct ear *ear = context;
    ys_world_cross(ear->world, CENTRAL_NUMBER, "central", direction, packet, length);
}

static bool begin_ear(struct ear *ear, const struct ys_interval_plan *plan)
{
    ear->simulated = ys_simulated_new(ear->world->radio, &(struct ys_simulated_settings){.number = CENTRAL_NUMBER,
                                                                                         .seed = plan->seed,
                                                                                         .outside = plan->live->central,
                                                                                         .context = ear,
                                                                                         .observe = observe});
    if (ear->simulated == NULL)
        return false;
    const struct ys_host_settings settings = {.port = ys_simulated_port(ear->simulated),
                                              .table = &ys_table_bare,
                                              .on_event = on_event,
                                              .address_type = YS_OWN_STATIC};
    if (ys_host_init(&ear->host, sizeof ear->host, &settings) != YS_OK)
        return false;
    if (ys_design_has_sets(plan->design))
        ys_host_use_sets(&ear->host, &ear->sets);
    ys_simulated_attach(ear->simulated, &ear->host, ys_host_run);
    ys_host_start(&ear->host);
    return true;
}

/* Without a name in its advertisement it can only be found by an active scanner. */
static bool scan(struct ear *ear, const struct ys_scanner *scanner)
{
    const struct ys_advertisement *set = ear->design->sets;
    const struct ys_scanning scanning = {.interval_us = scanner->interval_us,
                                         .window_us = scanner->window_us,
                                         .active = !ear->known,
                                         .phys = set->extended && set->primary_phy == YS_SAID_CODED ? YS_CODED : YS_1M};
    ear->heard = false;
    return ys_scan(&ear->host, &scanning) == YS_OK;
}

static bool trouble(const struct ear *ear, const char *text)
{
    (void)snprintf(ear->report->trouble, sizeof ear->report->trouble, "%s", text);
    return false;
}

static bool watch(struct ear *ear, const struct ys_interval_plan *plan)
{
    struct ys_interval_report *report = ear->report;
    if (!ys_world_run_until(ear->world, &ear->ready, START_NS)) {
        ys_world_break(ear->world, "the controller of the central does not answer: look at its wires, its rate and its "
                                   "flow control (docs/porting.md, When nothing answers)");
        return false;
    }
    if (!scan(ear, &ys_scanners[0]) || !ys_world_run_until(ear->world, &ear->heard, FIND_NS))
        return trouble(ear, ear->failed ? "the controller does not scan on that PHY"
                                        : "no device advertises the name or the services of the definition");
    (void)ys_scan_stop(&ear->host);
    ear->watches = scan(ear, &ys_scanners[0]);
    report->from_ns = ys_world_now_ns(ear->world);
    report->air.silence_from_ns = report->from_ns;
    ear->heard_ns = report->from_ns;
    ys_world_run(ear->world, (uint64_t)plan->seconds * YS_NS_PER_S);
    ear->watches = false;
    (void)ys_scan_stop(&ear->host);
    report->seconds = (double)(ys_world_now_ns(ear->world) - report->from_ns) / (double)YS_NS_PER_S;
    return report->air.events > 1 || trouble(ear, "it was not heard any more: watch it for longer, or from nearer");
}

/* A search begins at any time. */
static void search(struct ear *ear, const struct ys_interval_plan *plan, struct ys_search *search)
{
    struct ys_chance chance = ys_chance_of(plan->seed, search->scanner.window_us);
    uint32_t interval_us = (uint32_t)ear->design->sets->interval_max_us;
    for (uint32_t i = 0; i < plan->runs && ear->world->failure[0] == '\0'; i++) {
        ys_world_run(ear->world, YS_NS_PER_MS + ys_chance_below(&chance, interval_us) * YS_NS_PER_US);
        uint64_t from_ns = ys_world_now_ns(ear->world);
        bool found =
            scan(ear, &search->scanner) && ys_world_run_until(ear->world, &ear->heard, YS_SEARCH_MS * YS_NS_PER_MS);
        (void)ys_scan_stop(&ear->host);
        search->runs++;
        if (found)
            ys_samples_add(&search->found_ms, (double)(ear->heard_ns - from_ns) / (double)YS_NS_PER_MS);
        else
            search->never++;
        if (plan->progress != NULL)
            plan->progress(plan->context, i + 1, plan->runs);
    }
}

static bool hear(struct ear *ear, const struct ys_interval_plan *plan)
{
    struct ys_interval_report *report = ear->report;
    if (!begin_ear(ear, plan))
        return false;
    bool good = watch(ear, plan);
    report->searches = calloc(plan->scanner_count + 1, sizeof *report->searches);
    for (size_t i = 0; i < plan->scanner_count && report->searches != NULL && good; i++) {
        report->searches[i].scanner = plan->scanners[i];
        search(ear, plan, &report->searches[i]);
        report->search_count++;
    }
    return report->searches != NULL;
}

/* The definition's parameters, for the calculation. */
static bool expect(const struct ys_interval_plan *plan, struct ys_interval_report *report)
{
    struct ys_interval_plan simulated = *plan;
    struct ys_interval_report expected;
    simulated.live = NULL;
    simulated.recording = NULL;
    simulated.seconds = 5;
    simulated.runs = 0;
    simulated.scanner_count = 0;
    bool good = ys_interval_run(&simulated, &expected);
    for (size_t i = 0; i < report->search_count && good; i++)
        ys_interval_compare(plan, &expected, &report->searches[i]);
    ys_interval_report_free(&expected);
    return good;
}

bool ys_interval_run_live(const struct ys_interval_plan *plan, struct ys_interval_report *report)
{
    struct ys_world world;
    struct ys_device *device = NULL;
    struct ear *ear = calloc(1, sizeof *ear);
    *report = (struct ys_interval_report){.live = true};
    if (ear == NULL || !ys_world_init(&world, plan->seed, NULL, NULL)) {
        free(ear);
        return false;
    }
    *ear = (struct ear){.world = &world, .report = report, .design = plan->design};
    plan->live->begin(plan->live->context, &world);
    ys_world_record(&world, plan->recording);
    bool good = true;
    if (plan->live->device != NULL) {
        struct ys_hardware hardware = ys_hardware_of_device;
        hardware.outside = plan->live->device;
        device = ys_device_stand_in(&world, DEVICE_NUMBER, "device", plan->design, &hardware);
        good = device != NULL;
        if (good)
            ys_device_start(device);
    }
    good = good && hear(ear, plan);
    plan->live->end(plan->live->context, &world);
    report->broken = world.failure[0] != '\0';
    if (report->broken)
        (void)snprintf(report->trouble, sizeof report->trouble, "%.*s", (int)sizeof report->trouble - 1, world.failure);
    ys_simulated_free(ear->simulated);
    ys_device_free(device);
    ys_world_end(&world);
    free(ear);
    return good && (report->trouble[0] != '\0' || expect(plan, report));
}
