/* The air of a world. */
#include "world/air.h"

#include <math.h>
#include <stdlib.h>

#include "sim/chance.h"
#include "sim/controller.h"
#include "wire/hci.h"

#define CHANCE_OF_NEIGHBOURS UINT64_C(0x600000000)

/* A network's channel 1 is at 2412 MHz, each further one 5 MHz above; it fills 20 MHz, of which a channel of ours has a
 * tenth. */
#define NETWORK_MHZ       2412
#define NETWORK_STEP_MHZ  5
#define NETWORK_HALF_MHZ  10
#define NETWORK_SHARE_DB  10
#define OVEN_FROM_MHZ     2440
#define OVEN_TO_MHZ       2480
#define OVEN_SHARE_DB     13 /* of 40 MHz */
#define MAINS_HALF_US     10000
#define ADVERTISING_BYTES 31
#define STEP_US           625
#define DELAY_US          10000.0 /* of each event, at the most */

const char *const ys_air_words[] = {"perfect", "outdoors", "hall", NULL};
const char *const ys_reception_words[] = {"levels", "real", NULL};
const char *const ys_fading_words[] = {"none", "rician", "rayleigh", NULL};
const char *const ys_disturber_words[] = {"network", "oven", "advertisers", NULL};

struct ys_air ys_air_of(int kind)
{
    struct ys_air air = {.kind = kind, .reception = YS_RECEPTION_REAL};
    if (kind == YS_AIR_HALL) {
        air.fading = YS_FADING_RICIAN;
        air.rician_k_db = 6;
    }
    return air;
}

/* A clear open yard, or a hall full of machines, and receivers as they are sold. */
struct ys_air_model ys_air_model_of(const struct ys_air *air, uint64_t seed)
{
    struct ys_air_model model = ys_air_hall;
    if (air->kind != YS_AIR_HALL) {
        model.exponent = 2;
        model.shadowing_db = 0;
    }
    model.reception = air->reception;
    model.fading = air->reception == YS_RECEPTION_REAL ? air->fading : YS_FADING_NONE;
    model.rician_k_db = air->rician_k_db;
    model.coherence_us = air->coherence_us;
    model.seed = seed;
    return model;
}

bool ys_world_set_air(struct ys_world *world, const struct ys_air *air)
{
    struct ys_air_model model = ys_air_model_of(air, world->seed);
    return air->kind <= YS_AIR_PERFECT || ys_radio_set_model(world->radio, &model);
}

struct ys_disturber ys_disturber_of(enum ys_disturber_kind kind)
{
    static const struct ys_disturber usual[] = {
        [YS_DISTURBER_NETWORK] =
            {.kind = YS_DISTURBER_NETWORK, .channel = 6, .duty = 0.3, .burst_us = 1500, .power_dbm = 15, .x_m = 10},
        [YS_DISTURBER_OVEN] = {.kind = YS_DISTURBER_OVEN, .power_dbm = 20, .x_m = 5},
        [YS_DISTURBER_ADVERTISERS] =
            {.kind = YS_DISTURBER_ADVERTISERS, .power_dbm = 0, .count = 100, .interval_us = 100000, .around_m = 15},
    };
    return usual[kind];
}

/* neighbours: controllers that advertise, without hosts */

static void ignore(void *context, const uint8_t *packet, size_t length)
{
    (void)context;
    (void)packet;
    (void)length;
}

static void command(struct ys_controller *controller, uint16_t opcode, const uint8_t *parameters, size_t length)
{
    uint8_t bytes[YS_HCI_COMMAND_MAX];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    ys_hci_command_begin(&writer, opcode);
    ys_put_bytes(&writer, parameters, length);
    ys_hci_end(&writer);
    ys_controller_receive(controller, bytes, ys_writer_stored(&writer));
}

/* Not connectable, with as much data as there can be. */
static void advertise(struct ys_controller *controller, uint32_t interval_us)
{
    uint16_t steps = (uint16_t)(interval_us / STEP_US);
    const uint8_t parameters[15] = {
        (uint8_t)steps, (uint8_t)(steps >> 8), (uint8_t)steps, (uint8_t)(steps >> 8), 3, [13] = 7};
    const uint8_t data[1 + ADVERTISING_BYTES] = {ADVERTISING_BYTES, ADVERTISING_BYTES - 1, 0xff, 0xff, 0xff};
    const uint8_t on = 1;
    command(controller, YS_HCI_LE_SET_ADVERTISING_PARAMETERS, parameters, sizeof parameters);
    command(controller, YS_HCI_LE_SET_ADVERTISING_DATA, data, sizeof data);
    command(controller, YS_HCI_LE_SET_ADVERTISING_ENABLE, &on, 1);
}

static double uniform(struct ys_chance *chance)
{
    return (double)(ys_chance_next(chance) >> 11) / 9007199254740992.0; /* 2^53 */
}

static bool add_neighbour(struct ys_world *world, const struct ys_disturber *disturber, uint32_t number)
{
    struct ys_chance chance = ys_chance_of(world->seed, CHANCE_OF_NEIGHBOURS + number);
    const struct ys_controller_settings settings = {
        .number = number,
        .seed = world->seed,
        .address = {.bytes = {(uint8_t)number, (uint8_t)(number >> 8), (uint8_t)(1 + (number >> 16)), 0xff, 0xff, 0}},
        .buffer_count = 1,
        .power_dbm = disturber->power_dbm,
        .send = ignore,
    };
    world->disturbers++;
    double angle = 6.283185307179586 * uniform(&chance);
    double distance_m = disturber->around_m * sqrt(uniform(&chance));
    uint64_t after_ns = (uint64_t)(uniform(&chance) * (disturber->interval_us + DELAY_US)) * YS_NS_PER_US;
    return ys_world_neighbour(world, &settings, after_ns, advertise, disturber->interval_us) &&
           (!ys_radio_has_model(world->radio) ||
            ys_radio_place(world->radio, number, disturber->x_m + distance_m * cos(angle),
                           disturber->y_m + distance_m * sin(angle)));
}

bool ys_world_disturb(struct ys_world *world, const struct ys_disturber *disturber)
{
    uint32_t number = YS_NUMBER_OF_NEIGHBOUR + world->disturbers;
    if (disturber->kind == YS_DISTURBER_ADVERTISERS) {
        for (uint32_t i = 0; i < disturber->count; i++) {
            if (!add_neighbour(world, disturber, number + i))
                return false;
        }
        return true;
    }
    bool oven = disturber->kind == YS_DISTURBER_OVEN;
    uint16_t middle_mhz = (uint16_t)(NETWORK_MHZ + NETWORK_STEP_MHZ * (disturber->channel - 1));
    const struct ys_interferer interferer = {
        .number = number,
        .from_mhz = oven ? OVEN_FROM_MHZ : (uint16_t)(middle_mhz - NETWORK_HALF_MHZ),
        .to_mhz = oven ? OVEN_TO_MHZ : (uint16_t)(middle_mhz + NETWORK_HALF_MHZ),
        .duty = oven ? 0.5 : disturber->duty,
        .burst_us = oven ? MAINS_HALF_US : disturber->burst_us,
        .regular = oven,
        .power_dbm = (int8_t)(disturber->power_dbm - (oven ? OVEN_SHARE_DB : NETWORK_SHARE_DB)),
        .seed = world->seed,
    };
    world->disturbers++;
    return ys_radio_place(world->radio, number, disturber->x_m, disturber->y_m) &&
           ys_radio_interfere(world->radio, &interferer);
}
