/* The watch is one world with the device as its definition plays it. Each search is a world of its own, so that
 * searches may run side by side and come out the same in any order. */
#include "experiment/interval.h"

#include <math.h>
#include <pthread.h>
#include <stdatomic.h>
#include <stdlib.h>

#include "design/making/payload.h"
#include "measure/errors.h"
#include "sim/chance.h"
#include "sim/controller.h"
#include "wire/extended.h"
#include "wire/hci_extended.h"
#include "world/air.h"
#include "world/central.h"
#include "world/device.h"

#define DEVICE_NUMBER   1
#define CENTRAL_NUMBER  2
#define SCANNER_NUMBER  3
#define SETTLE_NS       (100 * YS_NS_PER_MS)
#define STEP_US         625
#define CONNECTIONS     2
#define CHANCE_OF_START UINT64_C(0x300000000)

/* The receiver is on from 16 us before an answer could begin until 16 us after its address could have come, which is
 * preamble and access address; and to the end of a request, which has 14 bytes. */
#define SLACK_S        32e-6
#define TURNS_S        134e-6 /* from the end of a packet until its receiver is on */
#define REQUEST_LENGTH 14

/* A packet that points to another: header, length, flags, data id, pointer. */
#define EXTENDED_LENGTH (2 + 1 + 1 + 2 + 3)

const double ys_round_times_ms[YS_ROUND_TIMES] = {30, 100, 300, 1000, 3000, 10000, 30000};

/* So many standard errors apart two shares may be by chance, at one of seven times. */
#define ERRORS_MOST 3.5

/* The duration of another advertiser's packet with 31 bytes. */
#define CROWD_PACKET_US 376

/* A scanner is a controller without a host. */
struct seeker {
    struct ys_world *world;
    struct ys_controller *controller;
    struct ys_address wanted;
    bool anonymous; /* whoever tells no address is it */
    bool found;
    uint64_t from_ns; /* when the search begins */
    uint64_t found_ns;
};

static void take_event(void *context, const uint8_t *packet, size_t length)
{
    struct seeker *seeker = context;
    struct ys_reader reader = ys_reader_of(packet + 1, length - 1);
    struct ys_reader parameters;
    struct ys_hci_report report;
    struct ys_hci_extended_report extended;
    uint8_t event;
    if (seeker->found || ys_world_now_ns(seeker->world) < seeker->from_ns ||
        !ys_get_hci_event(&reader, &event, &parameters) || event != YS_HCI_LE_META)
        return;
    uint8_t kind = ys_get_u8(&parameters);
    uint8_t count = ys_get_u8(&parameters);
    struct ys_address sender = {.type = 0};
    if (kind == YS_HCI_LE_ADVERTISING_REPORT && count == 1) {
        ys_get_hci_report(&parameters, &report);
        sender = report.address;
    } else if (kind == YS_HCI_LE_EXTENDED_ADVERTISING_REPORT && count == 1) {
        ys_get_hci_extended_report(&parameters, &extended);
        sender = extended.address;
    } else {
        return;
    }
    bool same = seeker->anonymous ? sender.type == YS_HCI_ANONYMOUS : ys_address_is_equal(&sender, &seeker->wanted);
    if (!ys_reader_ok(&parameters) || !same)
        return;
    seeker->found = true;
    seeker->found_ns = ys_world_now_ns(seeker->world);
}

static void command(const struct seeker *seeker, struct ys_writer *writer)
{
    ys_hci_end(writer);
    ys_controller_receive(seeker->controller, writer->start, ys_writer_stored(writer));
}

static void scan_as_before(const struct seeker *seeker, const struct ys_scanner *scanner, bool active)
{
    uint8_t bytes[YS_HCI_COMMAND_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_command_begin(&writer, YS_HCI_LE_SET_SCAN_PARAMETERS);
    ys_put_hci_scan(&writer, &(struct ys_hci_scan){.active = active,
                                                   .interval = (uint16_t)(scanner->interval_us / STEP_US),
                                                   .window = (uint16_t)(scanner->window_us / STEP_US)});
    command(seeker, &writer);
    writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_command_begin(&writer, YS_HCI_LE_SET_SCAN_ENABLE);
    ys_put_u8(&writer, 1);
    ys_put_u8(&writer, 0);
    command(seeker, &writer);
}

/* For an extended set: on the PHY of its primary channels. */
static void scan_extended(const struct seeker *seeker, const struct ys_scanner *scanner, bool active, bool coded)
{
    uint8_t bytes[YS_HCI_COMMAND_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    const struct ys_hci_phy_scan one = {.active = active,
                                        .interval = (uint16_t)(scanner->interval_us / STEP_US),
                                        .window = (uint16_t)(scanner->window_us / STEP_US)};
    ys_hci_command_begin(&writer, YS_HCI_LE_SET_EVENT_MASK);
    ys_put_u64(&writer, YS_HCI_LE_EVENT_MASK | YS_HCI_LE_EVENT_MASK_EXTENDED);
    command(seeker, &writer);
    writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_command_begin(&writer, YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS);
    ys_put_hci_extended_scan(&writer, &(struct ys_hci_extended_scan){.phys = coded ? YS_HCI_PHYS_CODED : YS_HCI_PHYS_1M,
                                                                     .by_phy = {one, one, one}});
    command(seeker, &writer);
    writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_command_begin(&writer, YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE);
    ys_put_u8(&writer, 1);
    ys_put_u8(&writer, 0);
    ys_put_u16(&writer, 0);
    ys_put_u16(&writer, 0);
    command(seeker, &writer);
}

static bool seek(struct seeker *seeker, struct ys_world *world, uint16_t number, const struct ys_scanner *scanner,
                 const struct ys_advertisement *set, const struct ys_address *wanted, bool active)
{
    *seeker = (struct seeker){.world = world, .wanted = *wanted, .anonymous = set->anonymous};
    seeker->controller = ys_controller_new(
        world->radio, &(struct ys_controller_settings){.number = number,
                                                       .seed = world->seed,
                                                       .address = {.bytes = {(uint8_t)number, 0, 0, 0xff, 0xff, 0}},
                                                       .buffer_count = 1,
                                                       .sets = set->extended,
                                                       .send = take_event,
                                                       .context = seeker});
    if (seeker->controller == NULL)
        return false;
    if (set->extended)
        scan_extended(seeker, scanner, active, set->primary_phy == YS_SAID_CODED);
    else
        scan_as_before(seeker, scanner, active);
    return true;
}

/* the watch */

static void on_air(void *context, const struct ys_air_packet *packet)
{
    ys_advertising_meter_take(context, packet);
}

static uint64_t longest_interval_ns(const struct ys_design *design)
{
    return design->sets->interval_max_us * YS_NS_PER_US;
}

/* Counts the device's activity until now as advertising, from `from` on; or ignores it. */
static void count_activity(struct ys_interval_report *report, const struct ys_world *world,
                           const struct ys_device *device, struct ys_radio_use *from, uint64_t *from_ns, bool counts)
{
    const struct ys_radio_use *now = ys_simulated_use(ys_device_simulated(device));
    uint64_t now_ns = ys_world_now_ns(world);
    if (counts) {
        ys_activity_add(&report->activity, from, now);
        report->activity.seconds += (double)(now_ns - *from_ns) / (double)YS_NS_PER_S;
    }
    *from = *now;
    *from_ns = now_ns;
}

/* A central connects and leaves, in the second and in the last third of the time. */
static void watch(const struct ys_interval_plan *plan, struct ys_world *world, const struct ys_device *device,
                  struct ys_central *central, const struct ys_address *address, struct ys_task tasks[2 * CONNECTIONS],
                  struct ys_interval_report *report)
{
    uint64_t all_ns = (uint64_t)plan->seconds * YS_NS_PER_S;
    uint64_t from_ns = ys_world_now_ns(world);
    bool connects = ys_advertisement_kind(plan->design->sets) == YS_ADVERTISE_CONNECTABLE;
    struct ys_peer *peer = ys_central_peer(central, address);
    struct ys_radio_use use = *ys_simulated_use(ys_device_simulated(device));
    uint64_t use_ns = from_ns;
    if (connects) {
        ys_central_start(central);
        connects = ys_central_wait(central) && peer != NULL;
    }
    for (uint64_t i = 0; i < CONNECTIONS && connects; i++) {
        ys_clock_run(world->clock, from_ns + (i + 1) * all_ns / 3);
        count_activity(report, world, device, &use, &use_ns, true);
        ys_begin_connect(&tasks[2 * i], peer, 5 * YS_NS_PER_S);
        if (!ys_task_wait(&tasks[2 * i]))
            continue;
        ys_world_run(world, all_ns / 20);
        ys_begin_disconnect(&tasks[2 * i + 1], peer);
        report->connections += ys_task_wait(&tasks[2 * i + 1]);
        count_activity(report, world, device, &use, &use_ns, false);
    }
    ys_clock_run(world->clock, from_ns + all_ns);
    count_activity(report, world, device, &use, &use_ns, true);
}

static enum ys_phy answering_phy(const struct ys_advertisement *set)
{
    static const enum ys_phy phys[] = {YS_PHY_1M, YS_PHY_1M, YS_PHY_2M, YS_PHY_CODED_S8};
    return set->extended ? phys[set->phy] : YS_PHY_1M;
}

struct ys_activity ys_interval_activity(const struct ys_advertising_meter *air, const struct ys_advertisement *set,
                                        double seconds)
{
    enum ys_phy phy = answering_phy(set);
    double address_s = phy == YS_PHY_1M ? 40e-6 : phy == YS_PHY_2M ? 24e-6 : 336e-6;
    double request_s = (double)ys_link_duration_ns(phy, REQUEST_LENGTH) / (double)YS_NS_PER_S;
    uint64_t packets = 0;
    for (size_t i = 0; i < YS_ADVERTISING_TYPES; i++)
        packets += air->packets[i];
    double packet_s = packets > 0 ? (double)air->on_air_ns / (double)packets / (double)YS_NS_PER_S : 0;
    double listens_s = air->listens > 0 ? SLACK_S + address_s : 0;
    double between_s = (double)air->spacing_min_ns / (double)YS_NS_PER_S - packet_s - listens_s;
    return (struct ys_activity){
        .seconds = seconds,
        .events = air->events,
        .turn_s = (double)air->spacings * (between_s > 0 ? between_s : 0) +
                  (air->listens > 0 ? (double)air->events * TURNS_S : 0),
        .transmit_s = {(double)air->on_air_ns / (double)YS_NS_PER_S},
        .receive_s = (double)air->listens * (SLACK_S + address_s) + (double)air->requests * (request_s - address_s),
    };
}

/* It only comes and goes. */
static const struct ys_design *known(void *context, const struct ys_address *address, const char **name)
{
    (void)context;
    (void)address;
    (void)name;
    return NULL;
}

static bool watch_device(const struct ys_interval_plan *plan, struct ys_interval_report *report)
{
    struct ys_world world;
    struct ys_observer observer;
    struct seeker seeker = {.controller = NULL};
    if (!ys_world_init(&world, plan->seed, NULL, NULL))
        return false;
    struct ys_device *device =
        ys_device_stand_in(&world, DEVICE_NUMBER, "device", plan->design, &ys_hardware_of_device);
    struct ys_traits traits = ys_traits_for(plan->design);
    traits.asks_mtu = false;
    struct ys_task *tasks = calloc(2 * (size_t)CONNECTIONS, sizeof *tasks);
    struct ys_central *central =
        ys_central_new(&world, CENTRAL_NUMBER, "central", &traits, &ys_hardware_of_central, known, NULL);
    bool good = device != NULL && central != NULL && tasks != NULL;
    if (good) {
        ys_device_start(device);
        ys_world_run(&world, SETTLE_NS);
        const struct ys_address address = ys_device_address(device);
        report->air = (struct ys_advertising_meter){.advertiser = address,
                                                    .anonymous = plan->design->sets->anonymous,
                                                    .interval_max_ns = longest_interval_ns(plan->design)};
        observer = (struct ys_observer){.observe = on_air, .context = &report->air};
        ys_radio_observe(world.radio, &observer);
        ys_world_record(&world, plan->recording);
        good = seek(&seeker, &world, SCANNER_NUMBER, &ys_scanners[1], plan->design->sets, &address, true);
        if (good)
            watch(plan, &world, device, central, &address, tasks, report);
        report->seconds = (double)(ys_world_now_ns(&world) - SETTLE_NS) / (double)YS_NS_PER_S;
        ys_advertising_meter_end(&report->air, ys_world_now_ns(&world));
    }
    ys_controller_free(seeker.controller);
    ys_central_free(central);
    free(tasks);
    ys_device_free(device);
    ys_world_end(&world);
    return good;
}

/* the searches */

struct searches {
    const struct ys_interval_plan *plan;
    double *found_ms; /* of each run, each scanner; negative: not found; not a number: made elsewhere */
    atomic_uint next;
    atomic_uint done;
    atomic_bool failed;
};

/* Firmware that only advertises. */
struct advertiser {
    struct ys_advertising *advertising;
    struct ys_sets sets;
    bool has_sets;
};

static void start(void *context, struct ys_host *host)
{
    struct advertiser *advertiser = context;
    if (advertiser->has_sets)
        ys_host_use_sets(host, &advertiser->sets);
}

static void advertise(struct ys_host *host, void *context, const struct ys_event *event)
{
    const struct advertiser *advertiser = context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, advertiser->advertising);
}

static bool all_found(const struct seeker *seekers, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        if (!seekers[i].found)
            return false;
    }
    return true;
}

static uint64_t longest_turns_ns(const struct ys_interval_plan *plan)
{
    uint64_t longest_ns = 0;
    for (size_t i = 0; i < plan->scanner_count; i++) {
        uint64_t turns_ns = UINT64_C(3) * plan->scanners[i].interval_us * YS_NS_PER_US;
        longest_ns = turns_ns > longest_ns ? turns_ns : longest_ns;
    }
    return longest_ns;
}

/* Has all scanners begin at the beginning of the search; or before, each as long as chance has it, the first one first.
 */
static bool start_scanners(struct ys_world *world, const struct ys_interval_plan *plan, struct seeker *seekers,
                           const struct ys_address *address, uint64_t from_ns, struct ys_chance *chance)
{
    uint64_t *starts_ns = calloc(plan->scanner_count + 1, sizeof *starts_ns);
    bool good = starts_ns != NULL;
    for (size_t i = 0; i < plan->scanner_count && good; i++) {
        uint64_t turns_ns = UINT64_C(3) * plan->scanners[i].interval_us * YS_NS_PER_US;
        starts_ns[i] = from_ns - (plan->any_phase ? ys_chance_next(chance) % turns_ns : 0);
    }
    for (size_t count = 0; count < plan->scanner_count && good; count++) {
        size_t next = 0;
        for (size_t i = 1; i < plan->scanner_count; i++)
            next = starts_ns[i] < starts_ns[next] ? i : next;
        ys_clock_run(world->clock, starts_ns[next]);
        starts_ns[next] = UINT64_MAX;
        good = seek(&seekers[next], world, (uint16_t)(SCANNER_NUMBER + next), &plan->scanners[next], plan->design->sets,
                    address, false);
        seekers[next].from_ns = from_ns;
    }
    free(starts_ns);
    return good;
}

/* Others beside it, at one place, and packets that are lost. */
static bool make_hard(const struct ys_interval_plan *plan, struct ys_world *world)
{
    const struct ys_air air = {.kind = YS_AIR_OPEN, .reception = YS_RECEPTION_LEVELS};
    struct ys_disturber others = ys_disturber_of(YS_DISTURBER_ADVERTISERS);
    double shares[40];
    for (size_t i = 0; i < 40; i++)
        shares[i] = plan->loss;
    if (plan->loss > 0)
        ys_radio_lose(world->radio, shares, world->seed);
    if (plan->bit_errors > 0)
        ys_radio_lose_bits(world->radio, plan->bit_errors, world->seed);
    others.count = plan->crowd;
    others.interval_us = plan->crowd_interval_us;
    others.around_m = 0;
    return plan->crowd == 0 || (ys_world_set_air(world, &air) && ys_world_disturb(world, &others));
}

/* The scanners begin at one moment, which is any within an interval of the device; or before, at any time of their
 * turns. */
static bool search_in(struct ys_world *world, const struct searches *searches, struct seeker *seekers,
                      struct ys_advertising *advertising, double *found_ms)
{
    const struct ys_interval_plan *plan = searches->plan;
    struct advertiser advertiser = {.advertising = advertising, .has_sets = ys_design_has_sets(plan->design)};
    const struct ys_firmware firmware = {
        .table = &ys_table_bare, .context = &advertiser, .start = start, .on_event = advertise};
    const struct ys_module module = ys_module_linked(&firmware);
    struct ys_device *device =
        ys_device_new(world, DEVICE_NUMBER, "device", plan->design, &module, &ys_hardware_of_device);
    struct ys_chance chance = ys_chance_of(world->seed, CHANCE_OF_START);
    bool good = device != NULL && make_hard(plan, world);
    if (good) {
        ys_device_start(device);
        ys_world_run(world, SETTLE_NS + YS_NS_PER_S + plan->crowd_interval_us * YS_NS_PER_US +
                                ys_chance_below(&chance, advertising->interval_min_us + 5000) * YS_NS_PER_US);
    }
    uint64_t from_ns = ys_world_now_ns(world) + (plan->any_phase ? longest_turns_ns(plan) : 0);
    const struct ys_address address = good ? ys_device_address(device) : (struct ys_address){.type = 0};
    good = good && start_scanners(world, plan, seekers, &address, from_ns, &chance);
    while (good && !all_found(seekers, plan->scanner_count) &&
           ys_world_now_ns(world) < from_ns + YS_SEARCH_MS * YS_NS_PER_MS)
        ys_world_run(world, SETTLE_NS);
    for (size_t i = 0; i < plan->scanner_count; i++) {
        double after_ms = (double)(seekers[i].found_ns - from_ns) / (double)YS_NS_PER_MS;
        found_ms[i] = seekers[i].found && after_ms <= YS_SEARCH_MS ? after_ms : -1;
    }
    for (size_t i = 0; i < plan->scanner_count; i++)
        ys_controller_free(seekers[i].controller);
    ys_device_free(device);
    return good;
}

static bool search_once(const struct searches *searches, uint32_t run)
{
    const struct ys_interval_plan *plan = searches->plan;
    struct ys_payload payload = ys_payload_compose(plan->design, plan->design->sets);
    struct ys_set_options options;
    struct ys_advertising advertising = ys_advertisement_settings(plan->design->sets, &payload, &options);
    advertising.duration_ms = 0; /* whoever looks for it does so while it is there */
    options.events = 0;
    struct ys_world world;
    struct seeker *seekers = calloc(plan->scanner_count, sizeof *seekers);
    struct ys_chance chance = ys_chance_of(plan->seed, run);
    bool good = seekers != NULL && ys_world_init(&world, ys_chance_next(&chance), NULL, NULL);
    if (good) {
        good =
            search_in(&world, searches, seekers, &advertising, &searches->found_ms[(size_t)run * plan->scanner_count]);
        ys_world_end(&world);
    }
    free(seekers);
    return good;
}

/* The next search, if it is wanted; false if there is none. `done` becomes how many are. */
static bool search_next(struct searches *searches, uint32_t *done)
{
    const struct ys_interval_plan *plan = searches->plan;
    uint32_t run = atomic_fetch_add(&searches->next, 1);
    if (run >= plan->runs || atomic_load(&searches->failed))
        return false;
    double *found_ms = &searches->found_ms[(size_t)run * plan->scanner_count];
    enum ys_search_state state = plan->look_up != NULL ? plan->look_up(plan->keeper, run, found_ms) : YS_SEARCH_WANTED;
    for (size_t i = 0; state == YS_SEARCH_ELSEWHERE && i < plan->scanner_count; i++)
        found_ms[i] = NAN;
    if (state == YS_SEARCH_WANTED && !search_once(searches, run))
        atomic_store(&searches->failed, true);
    else if (state == YS_SEARCH_WANTED && plan->take != NULL)
        plan->take(plan->keeper, run, found_ms);
    *done = atomic_fetch_add(&searches->done, 1) + 1;
    return true;
}

static void *work(void *context)
{
    uint32_t done;
    while (search_next(context, &done))
        ;
    return NULL;
}

/* This thread works too, and says how far all are. */
static void work_and_tell(struct searches *searches)
{
    const struct ys_interval_plan *plan = searches->plan;
    uint32_t done;
    while (search_next(searches, &done)) {
        if (plan->progress != NULL)
            plan->progress(plan->context, done, plan->runs);
    }
}

static void run_all(struct searches *searches)
{
    pthread_t threads[64];
    unsigned count = 0;
    unsigned wanted = searches->plan->threads - 1;
    while (count < wanted && count < sizeof threads / sizeof threads[0] &&
           pthread_create(&threads[count], NULL, work, searches) == 0)
        count++;
    work_and_tell(searches);
    while (count > 0)
        (void)pthread_join(threads[--count], NULL);
}

/* Sets the shares side by side. Where one of them is all or nothing, a single search more or less is the error. */
static void judge_search(struct ys_search *search)
{
    ys_discovery_shares(&search->calculated_of, ys_round_times_ms, search->calculated_within, YS_ROUND_TIMES);
    search->agrees = true;
    for (size_t i = 0; i < YS_ROUND_TIMES && search->runs > 0; i++) {
        double expected = search->calculated_within[i];
        double runs = search->runs;
        search->found_within[i] = (double)ys_samples_within(&search->found_ms, ys_round_times_ms[i]) / runs;
        search->error_within[i] = sqrt(fmax(expected * (1 - expected), 1 / runs) / runs);
        search->agrees =
            search->agrees && fabs(search->found_within[i] - expected) <= ERRORS_MOST * search->error_within[i] + 0.002;
    }
}

/* The share of packets of this length that scanners receive with errors when nothing else is on the air. */
static double lost_alone(const struct ys_interval_plan *plan, enum ys_phy phy, size_t length)
{
    return 1 - (1 - plan->loss) * pow(1 - plan->bit_errors, YS_SYNC_BITS + ys_bits_of(phy, length));
}

static void gather(const struct searches *searches, const struct ys_interval_report *report, size_t index)
{
    const struct ys_interval_plan *plan = searches->plan;
    struct ys_search *search = &report->searches[index];
    search->scanner = plan->scanners[index];
    for (uint32_t run = 0; run < plan->runs; run++) {
        double found_ms = searches->found_ms[(size_t)run * plan->scanner_count + index];
        if (isnan(found_ms))
            continue;
        search->runs++;
        if (found_ms >= 0)
            ys_samples_add(&search->found_ms, found_ms);
        else
            search->never++;
    }
    ys_interval_compare(plan, report, search);
}

void ys_interval_compare(const struct ys_interval_plan *plan, const struct ys_interval_report *report,
                         struct ys_search *search)
{
    const struct ys_advertisement *set = plan->design->sets;
    enum ys_phy phy = set->extended && set->primary_phy == YS_SAID_CODED ? YS_PHY_CODED_S8 : YS_PHY_1M;
    size_t length = set->extended ? EXTENDED_LENGTH : 2u + 6u + ys_payload_compose(plan->design, set).data_length;
    search->calculated_of = (struct ys_discovery){
        .interval_us = (uint32_t)set->interval_min_us,
        .packet_us = (uint32_t)(ys_link_duration_ns(phy, length) / YS_NS_PER_US),
        .known_us = (uint32_t)(report->air.known_ns / YS_NS_PER_US),
        .spacing_us = (uint32_t)(report->air.spacing_min_ns / YS_NS_PER_US),
        .channels = set->channels != 0 ? set->channels : 7,
        .scan_interval_us = search->scanner.interval_us,
        .scan_window_us = search->scanner.window_us,
        .any_phase = plan->any_phase,
        .lost_known = lost_alone(plan, report->air.known_phy, report->air.known_length),
    };
    double alone =
        1 - ys_collisions(search->calculated_of.packet_us, CROWD_PACKET_US, plan->crowd_interval_us, plan->crowd);
    search->calculated_of.lost = 1 - (1 - lost_alone(plan, phy, length)) * alone;
    search->crowded = plan->crowd > 0;
    judge_search(search);
    (void)ys_discovery_expect(&search->calculated_of, YS_SEARCH_MS, YS_SEARCH_MS, &search->calculated);
}

static bool search_device(const struct ys_interval_plan *plan, struct ys_interval_report *report)
{
    struct searches searches = {.plan = plan};
    searches.found_ms = calloc((size_t)plan->runs * plan->scanner_count + 1, sizeof *searches.found_ms);
    report->searches = calloc(plan->scanner_count + 1, sizeof *report->searches);
    if (searches.found_ms == NULL || report->searches == NULL) {
        free(searches.found_ms);
        return false;
    }
    report->search_count = plan->scanner_count;
    run_all(&searches);
    for (size_t i = 0; i < plan->scanner_count; i++)
        gather(&searches, report, i);
    free(searches.found_ms);
    return !atomic_load(&searches.failed);
}

bool ys_interval_run(const struct ys_interval_plan *plan, struct ys_interval_report *report)
{
    *report = (struct ys_interval_report){.seconds = 0};
    return watch_device(plan, report) && search_device(plan, report);
}

double ys_search_quantile_ms(struct ys_search *search, double share)
{
    double of_found = search->found_ms.count > 0 ? share * search->runs / (double)search->found_ms.count : 2;
    return of_found <= 1 ? ys_samples_quantile(&search->found_ms, of_found) : -1;
}

void ys_interval_report_free(struct ys_interval_report *report)
{
    ys_advertising_meter_free(&report->air);
    ys_samples_free(&report->strengths_dbm);
    for (size_t i = 0; i < report->search_count; i++)
        ys_samples_free(&report->searches[i].found_ms);
    free(report->searches);
}
