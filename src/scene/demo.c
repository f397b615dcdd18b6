/* The demo. */
#include "scene/demo.h"

#include <stdio.h>
#include <string.h>

#include "design/model/value.h"
#include "design/model/value_parse.h"
#include "measure/advertising.h"
#include "world/central.h"

#define DEVICE_NUMBER  1
#define CENTRAL_NUMBER 2

struct demo {
    const struct ys_demo_plan *plan;
    struct ys_demo_summary *summary;
    struct ys_world world;
    struct ys_observer observer;
    struct ys_device *device;
    struct ys_central *central;
    struct ys_peer *peer;
    struct ys_traits traits;
    struct ys_task task; /* what the central is doing */
    struct ys_advertising_meter meter;
    bool metering;
};

static void on_air(void *context, const struct ys_air_packet *packet)
{
    struct demo *demo = context;
    demo->summary->air_packets++;
    if (!demo->metering) { /* an address is known once its host is ready, and nothing is sent before */
        demo->meter.advertiser = ys_device_address(demo->device);
        demo->metering = true;
    }
    ys_advertising_meter_take(&demo->meter, packet);
}

static bool expect(struct demo *demo, bool good, const char *problem)
{
    if (!good && demo->summary->problem == NULL)
        demo->summary->problem = problem;
    return good;
}

/* what the central does, one thing after the other */

static bool find_device(struct demo *demo)
{
    const struct ys_wanted wanted = {.name = demo->plan->design->name.text};
    ys_begin_find(&demo->task, demo->central, &wanted, 10 * YS_NS_PER_S);
    bool found = ys_task_wait(&demo->task);
    demo->peer = ys_central_found(demo->central);
    ys_world_run(&demo->world, YS_NS_PER_MS); /* until it has stopped scanning */
    return found;
}

static bool connect(struct demo *demo)
{
    ys_begin_connect(&demo->task, demo->peer, 5 * YS_NS_PER_S);
    return ys_task_wait(&demo->task);
}

static bool discover(struct demo *demo)
{
    ys_begin_discover(&demo->task, demo->peer);
    return ys_task_wait(&demo->task);
}

/* The handle of a characteristic, which must have been discovered. */
static uint16_t handle_of(struct demo *demo, const struct ys_characteristic *characteristic)
{
    return ys_peer_handle(demo->peer, characteristic);
}

static bool read(struct demo *demo, const struct ys_characteristic *characteristic)
{
    ys_begin_read(&demo->task, demo->peer, handle_of(demo, characteristic));
    return ys_task_wait(&demo->task);
}

static void read_good(struct demo *demo, const struct ys_characteristic *characteristic)
{
    bool good = read(demo, characteristic);
    (void)expect(demo, good, demo->task.misfits ? "a value does not fit its format" : "a value could not be read");
}

/* Whether a value was written. */
static bool write(struct demo *demo, const struct ys_characteristic *characteristic, const char *text, bool response)
{
    uint8_t bytes[YS_VALUE_LONGEST];
    const char *problem = NULL;
    int length = ys_value_parse(&characteristic->type, text, bytes, sizeof bytes, &problem);
    if (length < 0)
        ys_world_say(&demo->world, YS_SIDE_CENTRAL, demo->plan->central_name, "cannot write \"%s\": %s", text, problem);
    demo->task.answered = false;
    if (length < 0)
        return false;
    ys_begin_write(&demo->task, demo->peer, handle_of(demo, characteristic), bytes, (size_t)length, response);
    return ys_task_wait(&demo->task);
}

static bool subscribe(struct demo *demo, const struct ys_characteristic *characteristic, bool on)
{
    enum ys_subscription subscription = !on                                        ? YS_SUBSCRIBE_NONE
                                        : ys_offers(characteristic, YS_WAY_NOTIFY) ? YS_SUBSCRIBE_NOTIFICATIONS
                                                                                   : YS_SUBSCRIBE_INDICATIONS;
    ys_begin_subscribe(&demo->task, demo->peer, handle_of(demo, characteristic), subscription);
    return ys_task_wait(&demo->task);
}

static bool disconnect(struct demo *demo)
{
    ys_begin_disconnect(&demo->task, demo->peer);
    return ys_task_wait(&demo->task);
}

static void watch_for(struct demo *demo, uint64_t for_ns)
{
    ys_central_list_anew(demo->central);
    ys_world_run(&demo->world, for_ns);
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

/* The value to subscribe to: as planned, or else the first that notifies and changes by itself, or that notifies at
 * all. */
static const struct ys_characteristic *watched(const struct ys_demo_plan *plan)
{
    const struct ys_characteristic *best = named(plan->design, plan->watch);
    for (size_t i = 0; best == NULL && i < plan->design->service_count; i++) {
        const struct ys_service *service = &plan->design->services[i];
        for (size_t j = 0; j < service->characteristic_count && best == NULL; j++) {
            if (ys_notify_offer(&service->characteristics[j])->right == YS_RIGHT_OPEN &&
                (plan->module != NULL || service->characteristics[j].stand_in.shape >= YS_SHAPE_RAMP))
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
            if (one->ways[YS_WAY_READ].right == YS_RIGHT_OPEN)
                read_good(demo, one);
        }
    }
}

/* The values to write if the plan has none: the smallest valid one, and one that is invalid. */
struct choice {
    const struct ys_characteristic *target;
    char refused[64];
    char accepted[64];
};

static void put_raw(const struct ys_characteristic *characteristic, int64_t raw, char *text, size_t size)
{
    uint8_t bytes[8];
    size_t length = ys_value_encode(&characteristic->type, raw, bytes);
    if (ys_value_decode(&characteristic->type, bytes) == raw) /* else it does not fit */
        ys_value_format(&characteristic->type, bytes, length, text, size);
}

static bool checks_range(const struct ys_characteristic *one)
{
    return one->has_range && !one->any_value && one->ways[YS_WAY_WRITE].right == YS_RIGHT_OPEN;
}

/* The first characteristic that refuses what is out of its range. */
static const struct ys_characteristic *find_ranged(const struct ys_demo_plan *plan)
{
    for (size_t i = 0; i < plan->design->service_count; i++) {
        const struct ys_service *service = &plan->design->services[i];
        for (size_t j = 0; j < service->characteristic_count; j++) {
            if (checks_range(&service->characteristics[j]))
                return &service->characteristics[j];
        }
    }
    return NULL;
}

static struct choice choose(const struct ys_demo_plan *plan)
{
    struct choice choice = {.target = named(plan->design, plan->write)};
    if (choice.target != NULL) {
        (void)snprintf(choice.refused, sizeof choice.refused, "%s", plan->refused);
        (void)snprintf(choice.accepted, sizeof choice.accepted, "%s", plan->accepted);
        return choice;
    }
    choice.target = find_ranged(plan);
    if (choice.target != NULL) {
        put_raw(choice.target, choice.target->range[1] + 1, choice.refused, sizeof choice.refused);
        put_raw(choice.target, choice.target->range[0], choice.accepted, sizeof choice.accepted);
    }
    return choice;
}

static void write_both(struct demo *demo)
{
    const struct choice choice = choose(demo->plan);
    if (choice.target == NULL)
        return;
    if (choice.refused[0] != '\0')
        (void)expect(demo, !write(demo, choice.target, choice.refused, true) && demo->task.answered,
                     "a value out of range was not refused");
    (void)expect(demo, write(demo, choice.target, choice.accepted, true), "a value in range was refused");
    if (choice.target->ways[YS_WAY_READ].right == YS_RIGHT_OPEN)
        read_good(demo, choice.target);
}

/* Writes the current value back, or zeros if it cannot be read. The application may still refuse it. */
static void write_back(struct demo *demo, const struct ys_characteristic *one)
{
    uint8_t bytes[YS_VALUE_LONGEST] = {0};
    size_t length = ys_value_zeros(&one->type);
    const struct ys_offer *readable = &one->ways[YS_WAY_READ];
    if (readable->right == YS_RIGHT_OPEN && !readable->asks && read(demo, one)) {
        length = demo->task.length;
        memcpy(bytes, demo->task.value, length);
    }
    bool response = one->ways[YS_WAY_WRITE].right == YS_RIGHT_OPEN;
    uint64_t mtu = demo->plan->design->limits.mtu.number;
    if (!response && length + 3 > (mtu > 0 && mtu < demo->traits.mtu ? mtu : demo->traits.mtu))
        return; /* it is in need of a longer MTU */
    demo->task.answered = false;
    ys_begin_write(&demo->task, demo->peer, handle_of(demo, one), bytes, length, response);
    bool written = ys_task_wait(&demo->task);
    (void)expect(demo, written || demo->task.answered, "a value could not be written");
}

/* What anybody may write, and is not written anyway. */
static void write_others(struct demo *demo)
{
    const struct ys_design *design = demo->plan->design;
    const struct ys_characteristic *ranged = find_ranged(demo->plan);
    for (size_t i = 0; i < design->service_count && demo->plan->write == NULL; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            const struct ys_characteristic *one = &design->services[i].characteristics[j];
            const struct ys_offer *offer = ys_write_offer(one);
            bool is_signed = offer == &one->ways[YS_WAY_SIGNED_WRITE];
            if (offer->right == YS_RIGHT_OPEN && !offer->asks && !is_signed && !one->features && one != ranged)
                write_back(demo, one);
        }
    }
}

/* Subscribes to one more, or no more. */
static void also(struct demo *demo, const char *name, bool on)
{
    const struct ys_characteristic *target = named(demo->plan->design, name);
    if (target != NULL)
        (void)expect(demo, subscribe(demo, target, on), "subscribing failed");
}

/* The user at the device acts, and thereby consents to the command. */
static void act(struct demo *demo)
{
    const struct ys_demo_plan *plan = demo->plan;
    const struct ys_characteristic *target = named(plan->design, plan->command);
    if (target != NULL) {
        (void)expect(demo, write(demo, target, plan->commanded, false), "a command was not sent");
        ys_world_run(&demo->world, 300 * YS_NS_PER_MS);
        if (expect(demo, !plan->obeyed(plan->module->firmware->context), "a command was done without consent"))
            ys_world_say(&demo->world, YS_SIDE_DEVICE, plan->device_name, "lets %s wait for consent", target->name);
    }
    if (plan->act != NULL)
        ys_world_say(&demo->world, YS_SIDE_DEVICE, plan->device_name, "%s", plan->act);
    if (plan->input != NULL)
        (void)ys_device_set(demo->device, plan->input, 1);
    ys_world_run(&demo->world, YS_NS_PER_MS);
    if (target != NULL && expect(demo, plan->obeyed(plan->module->firmware->context), "a command was not done"))
        ys_world_say(&demo->world, YS_SIDE_DEVICE, plan->device_name, "%s", plan->consent);
}

/* The data of a stream arrives as fast as the link carries it. */
static void fetch_log(struct demo *demo)
{
    if (named(demo->plan->design, demo->plan->log) == NULL)
        return;
    uint64_t before = ys_central_received(demo->central);
    also(demo, demo->plan->log, true);
    watch_for(demo, 200 * YS_NS_PER_MS);
    (void)expect(demo, ys_central_received(demo->central) > before, "nothing came of the log");
    also(demo, demo->plan->log, false);
}

static void watch(struct demo *demo)
{
    const struct ys_characteristic *target = watched(demo->plan);
    if (target == NULL || !expect(demo, subscribe(demo, target, true), "subscribing failed"))
        return;
    act(demo);
    also(demo, demo->plan->results, true);
    watch_for(demo, demo->plan->watch_ns);
    also(demo, demo->plan->results, false);
    (void)expect(demo, subscribe(demo, target, false), "unsubscribing failed");
    uint64_t before = ys_central_received(demo->central);
    watch_for(demo, YS_NS_PER_S);
    demo->summary->after_unsubscribe = ys_central_received(demo->central) - before;
    ys_world_say(&demo->world, YS_SIDE_CENTRAL, demo->plan->central_name, "has received %llu more within 1 s",
                 (unsigned long long)demo->summary->after_unsubscribe);
    if (demo->plan->input != NULL)
        (void)ys_device_set(demo->device, demo->plan->input, 0);
    /* the value changes if there is an input for it; one that moves by itself may be too slow */
    if (demo->plan->act != NULL)
        (void)expect(demo, before > 0, "no notification came");
    (void)expect(demo, demo->summary->after_unsubscribe == 0, "a notification came after unsubscribing");
}

static void play(struct demo *demo)
{
    const struct ys_demo_plan *plan = demo->plan;
    const struct ys_characteristic *last = named(plan->design, plan->read_last);
    ys_device_start(demo->device);
    ys_world_run(&demo->world, 500 * YS_NS_PER_MS);
    ys_central_start(demo->central);
    if (!expect(demo, ys_central_wait(demo->central), "the central did not start") ||
        !expect(demo, find_device(demo), "the device was not found") ||
        !expect(demo, connect(demo), "connecting failed") || !expect(demo, discover(demo), "the discovery failed"))
        return;
    read_all(demo);
    write_both(demo);
    write_others(demo);
    watch(demo);
    fetch_log(demo);
    if (last != NULL)
        read_good(demo, last);
    (void)expect(demo, disconnect(demo), "disconnecting failed");
    (void)expect(demo, find_device(demo), "the device was not found again");
}

static void summarise(struct demo *demo)
{
    struct ys_demo_summary *summary = demo->summary;
    const struct ys_stream_meter *stream = ys_central_stream(demo->central);
    summary->set_min_us = demo->plan->design->sets->interval_min_us;
    summary->set_max_us = demo->plan->design->sets->interval_max_us;
    summary->intervals = demo->meter.intervals_ms.count;
    summary->interval_min_ms = ys_samples_quantile(&demo->meter.intervals_ms, 0);
    summary->interval_mean_ms = ys_samples_mean(&demo->meter.intervals_ms);
    summary->interval_max_ms = ys_samples_quantile(&demo->meter.intervals_ms, 1);
    summary->sent = ys_device_notifications(demo->device);
    summary->received = ys_central_received(demo->central);
    const struct ys_characteristic *target = watched(demo->plan);
    summary->watched = target != NULL ? target->name : NULL;
    summary->rate_hz = ys_stream_meter_rate_hz(stream);
    summary->goodput_bps = ys_stream_meter_goodput_bps(stream);
    summary->simulated_s = (double)ys_world_now_ns(&demo->world) / (double)YS_NS_PER_S;
    if (ys_clock_stands(demo->world.clock))
        summary->problem = "time does not advance: over 100,000 events at the same time";
    (void)expect(demo, ys_central_misfits(demo->central) == 0, "a value does not fit its format");
    (void)expect(demo, summary->sent == summary->received, "a notification was lost");
    summary->as_expected = summary->problem == NULL;
}

static const struct ys_design *known(void *context, const struct ys_address *address, const char **name)
{
    const struct demo *demo = context;
    (void)address;
    (void)name;
    return demo->plan->design;
}

bool ys_demo_run(const struct ys_demo_plan *plan, uint64_t seed, ys_line_fn *line, void *line_context,
                 struct ys_demo_summary *summary)
{
    struct demo demo = {.plan = plan, .summary = summary};
    *summary = (struct ys_demo_summary){.as_expected = false};
    if (!ys_world_init(&demo.world, seed, line, line_context))
        return false;
    ys_world_record(&demo.world, plan->recording);
    if (plan->module != NULL) {
        demo.device = ys_device_new(&demo.world, DEVICE_NUMBER, plan->device_name, plan->design, plan->module,
                                    &ys_hardware_of_device);
    } else {
        demo.device =
            ys_device_stand_in(&demo.world, DEVICE_NUMBER, plan->device_name, plan->design, &ys_hardware_of_device);
    }
    demo.traits = ys_traits_for(plan->design);
    demo.central = ys_central_new(&demo.world, CENTRAL_NUMBER, plan->central_name, &demo.traits,
                                  &ys_hardware_of_central, known, &demo);
    bool good = demo.device != NULL && demo.central != NULL;
    if (good) {
        ys_central_list(demo.central, YS_LIST_SOME);
        demo.observer = (struct ys_observer){.observe = on_air, .context = &demo};
        ys_radio_observe(demo.world.radio, &demo.observer);
        play(&demo);
        summarise(&demo);
    }
    ys_advertising_meter_free(&demo.meter);
    ys_central_free(demo.central);
    ys_device_free(demo.device);
    ys_world_end(&demo.world);
    return good;
}
