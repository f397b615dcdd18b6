/* The demo. */
#include "scene/demo.h"

#include <string.h>

#include "measure/interval.h"
#include "scene/central.h"

#define DEVICE_NUMBER  1
#define CENTRAL_NUMBER 2

struct demo {
    const struct ys_demo_plan *plan;
    struct ys_demo_summary *summary;
    struct ys_world world;
    struct ys_device *device;
    struct ys_central *central;
    struct ys_interval_meter meter;
    bool metering;
};

static void on_air(void *context, const struct ys_air_packet *packet)
{
    struct demo *demo = context;
    demo->summary->air_packets++;
    if (!demo->metering) { /* nobody has an address before it is ready, and nobody sends before that */
        const struct ys_address address = ys_device_address(demo->device);
        demo->meter = ys_interval_meter_of(&address);
        demo->metering = true;
    }
    ys_interval_meter_take(&demo->meter, packet);
}

static bool expect(struct demo *demo, bool good, const char *problem)
{
    if (!good && demo->summary->problem == NULL)
        demo->summary->problem = problem;
    return good;
}

static const struct ys_characteristic *named(const struct ys_design *design, const char *name)
{
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            if (name != NULL && strcmp(design->services[i].characteristics[j].name, name) == 0)
                return &design->services[i].characteristics[j];
        }
    }
    return NULL;
}

/* What is to be watched: as planned, or else the first that notifies and moves, or that notifies at all. */
static const struct ys_characteristic *watched(const struct ys_demo_plan *plan)
{
    const struct ys_characteristic *best = named(plan->design, plan->watch);
    for (size_t i = 0; best == NULL && i < plan->design->service_count; i++) {
        const struct ys_service *service = &plan->design->services[i];
        for (size_t j = 0; j < service->characteristic_count && best == NULL; j++) {
            if (service->characteristics[j].notify == YS_RIGHT_OPEN &&
                service->characteristics[j].stand_in.shape >= YS_SHAPE_RAMP)
                best = &service->characteristics[j];
        }
    }
    return best;
}

static void read_all(struct demo *demo)
{
    const struct ys_design *design = demo->plan->design;
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            const struct ys_characteristic *one = &design->services[i].characteristics[j];
            if (one->read == YS_RIGHT_OPEN)
                (void)expect(demo, ys_central_read(demo->central, one), "a value could not be read");
        }
    }
}

static void write_both(struct demo *demo)
{
    const struct ys_characteristic *target = named(demo->plan->design, demo->plan->write);
    if (target == NULL)
        return;
    (void)expect(demo, ys_central_write(demo->central, target, demo->plan->refused) > 0,
                 "a value out of range was not refused");
    (void)expect(demo, ys_central_write(demo->central, target, demo->plan->accepted) == 0,
                 "a value in range was refused");
    (void)expect(demo, ys_central_read(demo->central, target), "a value could not be read");
}

static void watch(struct demo *demo)
{
    const struct ys_characteristic *target = watched(demo->plan);
    if (target == NULL || !expect(demo, ys_central_subscribe(demo->central, target, true), "subscribing failed"))
        return;
    if (demo->plan->act != NULL)
        ys_world_say(&demo->world, YS_SIDE_DEVICE, demo->plan->device_name, "%s", demo->plan->act);
    ys_device_act(demo->device, true);
    ys_central_watch(demo->central, demo->plan->watch_ns);
    (void)expect(demo, ys_central_subscribe(demo->central, target, false), "unsubscribing failed");
    uint64_t before = ys_central_stream(demo->central)->count;
    ys_central_watch(demo->central, YS_NS_PER_S);
    demo->summary->after_unsubscribe = ys_central_stream(demo->central)->count - before;
    ys_world_say(&demo->world, YS_SIDE_CENTRAL, demo->plan->central_name, "has received %llu more within 1 s",
                 (unsigned long long)demo->summary->after_unsubscribe);
    ys_device_act(demo->device, false);
    /* firmware is made to change its value; a stand-in may move too slowly for that */
    if (demo->plan->firmware != NULL)
        (void)expect(demo, before > 0, "no notification came");
    (void)expect(demo, demo->summary->after_unsubscribe == 0, "a notification came after unsubscribing");
}

static void play(struct demo *demo)
{
    const struct ys_demo_plan *plan = demo->plan;
    const char *name = plan->design->name;
    const struct ys_characteristic *last = named(plan->design, plan->read_last);
    ys_device_start(demo->device);
    ys_world_run(&demo->world, 500 * YS_NS_PER_MS);
    if (!expect(demo, ys_central_start(demo->central), "the central did not start") ||
        !expect(demo, ys_central_find(demo->central, name, 10 * YS_NS_PER_S), "the device was not found") ||
        !expect(demo, ys_central_connect(demo->central, 30000), "connecting failed") ||
        !expect(demo, ys_central_exchange_mtu(demo->central), "no MTU was agreed on") ||
        !expect(demo, ys_central_discover(demo->central), "the discovery failed"))
        return;
    read_all(demo);
    write_both(demo);
    watch(demo);
    if (last != NULL)
        (void)expect(demo, ys_central_read(demo->central, last), "a value could not be read");
    (void)expect(demo, ys_central_disconnect(demo->central), "disconnecting failed");
    (void)expect(demo, ys_central_find(demo->central, name, 10 * YS_NS_PER_S), "the device was not found again");
}

static void summarise(struct demo *demo)
{
    struct ys_demo_summary *summary = demo->summary;
    const struct ys_stream_meter *stream = ys_central_stream(demo->central);
    summary->set_min_us = demo->plan->design->interval_min_us;
    summary->set_max_us = demo->plan->design->interval_max_us;
    summary->intervals = demo->meter.intervals;
    summary->interval_min_ms = (double)demo->meter.min_ns / (double)YS_NS_PER_MS;
    summary->interval_mean_ms = ys_interval_meter_mean_ns(&demo->meter) / (double)YS_NS_PER_MS;
    summary->interval_max_ms = (double)demo->meter.max_ns / (double)YS_NS_PER_MS;
    summary->sent = ys_device_counts(demo->device)->notifications;
    summary->received = stream->count;
    summary->rate_hz = ys_stream_meter_rate_hz(stream);
    summary->goodput_bps = ys_stream_meter_goodput_bps(stream);
    summary->simulated_s = (double)ys_world_now_ns(&demo->world) / (double)YS_NS_PER_S;
    (void)expect(demo, summary->sent == summary->received, "a notification was lost");
    summary->as_expected = summary->problem == NULL;
}

bool ys_demo_run(const struct ys_demo_plan *plan, uint64_t seed, ys_line_fn *line, void *line_context,
                 struct ys_demo_summary *summary)
{
    struct demo demo = {.plan = plan, .summary = summary};
    *summary = (struct ys_demo_summary){.as_expected = false};
    if (!ys_world_init(&demo.world, seed, line, line_context))
        return false;
    demo.device = plan->firmware != NULL
                      ? ys_device_new(&demo.world, DEVICE_NUMBER, plan->device_name, plan->design, plan->firmware)
                      : ys_device_stand_in(&demo.world, DEVICE_NUMBER, plan->device_name, plan->design);
    demo.central = ys_central_new(&demo.world, CENTRAL_NUMBER, plan->central_name, plan->design);
    bool good = demo.device != NULL && demo.central != NULL;
    if (good) {
        ys_radio_observe(demo.world.radio, on_air, &demo);
        play(&demo);
        summarise(&demo);
    }
    ys_central_free(demo.central);
    ys_device_free(demo.device);
    ys_world_end(&demo.world);
    return good;
}
