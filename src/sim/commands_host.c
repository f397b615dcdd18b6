/* What hosts ask a controller at their start, whether they need it or not; and computations that a host without a
 * library leaves to its controller (Core 5.4 Vol 4 Part E). */
#include "sim/commands_host.h"

#include <string.h>

#include "machine/crypto.h"
#include "sim/to_host.h"

/* How long a controller takes for a computation on the curve. */
#define CURVE_NS (50 * YS_NS_PER_MS)

/* Vol 4 Part E 7.4.1: as it tells other controllers. */
static uint8_t read_version(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)controller;
    (void)parameters;
    ys_put_u8(answer, CONTROLLER_VERSION);
    ys_put_u16(answer, CONTROLLER_SUBVERSION);
    ys_put_u8(answer, CONTROLLER_VERSION);
    ys_put_u16(answer, CONTROLLER_COMPANY);
    ys_put_u16(answer, CONTROLLER_SUBVERSION);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.4.5: the buffers are those of LE, and there is no voice. */
static uint8_t read_buffer_size(struct ys_controller *controller, struct ys_reader *parameters,
                                struct ys_writer *answer)
{
    (void)parameters;
    ys_put_u16(answer, controller->settings.buffer_length);
    ys_put_u8(answer, 0);
    ys_put_u16(answer, controller->settings.buffer_count);
    ys_put_u16(answer, 0);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.3.69: none of its events is ever sent here. */
static uint8_t set_event_mask_2(struct ys_controller *controller, struct ys_reader *parameters,
                                struct ys_writer *answer)
{
    (void)controller;
    (void)answer;
    (void)ys_get_u64(parameters);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.3.38: the host takes what it gets. */
static uint8_t set_host_flow_control(struct ys_controller *controller, struct ys_reader *parameters,
                                     struct ys_writer *answer)
{
    (void)controller;
    (void)answer;
    return ys_get_u8(parameters) == 0 ? YS_HCI_OK : YS_HCI_UNSUPPORTED;
}

/* Vol 4 Part E 7.3.39. */
static uint8_t set_host_buffers(struct ys_controller *controller, struct ys_reader *parameters,
                                struct ys_writer *answer)
{
    uint16_t data_length = ys_get_u16(parameters);
    (void)controller;
    (void)answer;
    (void)ys_get_bytes(parameters, 5);
    return data_length >= 27 ? YS_HCI_OK : YS_HCI_INVALID_PARAMETERS;
}

/* Vol 4 Part E 7.3.78, 7.3.79: of hosts that also know the classic radio. */
static uint8_t read_le_support(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)controller;
    (void)parameters;
    ys_put_u8(answer, 1);
    ys_put_u8(answer, 0);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.3.79. */
static uint8_t write_le_support(struct ys_controller *controller, struct ys_reader *parameters,
                                struct ys_writer *answer)
{
    (void)controller;
    (void)answer;
    uint8_t on = ys_get_u8(parameters);
    (void)ys_get_u8(parameters);
    return on == 1 ? YS_HCI_OK : YS_HCI_UNSUPPORTED;
}

/* Vol 4 Part E 7.8.6. */
static uint8_t read_advertising_power(struct ys_controller *controller, struct ys_reader *parameters,
                                      struct ys_writer *answer)
{
    (void)parameters;
    ys_put_u8(answer, (uint8_t)controller->settings.power_dbm);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.27: all states, at the same time. */
static uint8_t read_states(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)controller;
    (void)parameters;
    ys_put_u64(answer, (UINT64_C(1) << 42) - 1);
    return YS_HCI_OK;
}

/* Computations. HCI sends the least significant byte first; the standards of cryptography begin with the most
 * significant one. */

static void turn(uint8_t *to, const uint8_t *from, size_t length)
{
    for (size_t i = 0; i < length; i++)
        to[i] = from[length - 1 - i];
}

/* Vol 4 Part E 7.8.22. */
static uint8_t encrypt(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint8_t key[16];
    uint8_t block[16];
    uint8_t result[16];
    (void)controller;
    turn(key, ys_get_bytes(parameters, 16), 16);
    turn(block, ys_get_bytes(parameters, 16), 16);
    if (!ys_crypto_encrypt(key, block, block))
        return YS_HCI_UNSPECIFIED;
    turn(result, block, 16);
    ys_put_bytes(answer, result, 16);
    return YS_HCI_OK;
}

static bool draw(void *context, void *bytes, size_t length)
{
    ys_chance_fill(&((struct ys_controller *)context)->computing.chance, bytes, length);
    return true;
}

/* Vol 4 Part E 7.8.23. */
static uint8_t random_number(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint8_t bytes[8];
    (void)parameters;
    (void)draw(controller, bytes, sizeof bytes);
    ys_put_bytes(answer, bytes, sizeof bytes);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.7.65.8, 7.7.65.9. */
static void tell_result(void *context)
{
    struct ys_controller *controller = context;
    struct computing *computing = &controller->computing;
    uint8_t bytes[YS_HCI_EVENT_MAX];
    uint8_t turned[64] = {0};
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    bool secret = computing->length == 32;
    computing->busy = false;
    if (!controller_begin_le_event(controller, &writer,
                                   secret ? YS_HCI_LE_SECRET_COMPLETE : YS_HCI_LE_PUBLIC_KEY_COMPLETE))
        return;
    for (size_t at = 0; at < computing->length && computing->good; at += 32)
        turn(turned + at, computing->result + at, 32);
    ys_put_u8(&writer, computing->good ? YS_HCI_OK : YS_HCI_INVALID_PARAMETERS);
    ys_put_bytes(&writer, turned, computing->length);
    controller_send(controller, &writer);
}

static uint8_t compute(struct ys_controller *controller, uint8_t length, bool good)
{
    struct computing *computing = &controller->computing;
    computing->busy = true;
    computing->length = length;
    computing->good = good;
    computing->timer = (struct ys_timer){.fire = tell_result, .context = controller};
    ys_clock_set(controller->clock, &computing->timer, ys_clock_now_ns(controller->clock) + CURVE_NS);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.36. */
static uint8_t read_public_key(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct computing *computing = &controller->computing;
    (void)parameters;
    (void)answer;
    if (computing->busy)
        return YS_HCI_COMMAND_DISALLOWED;
    computing->has_key = ys_crypto_key(draw, controller, computing->private_key, computing->result);
    return compute(controller, 64, computing->has_key);
}

static uint8_t generate(struct ys_controller *controller, const uint8_t key[32], const uint8_t *peer)
{
    uint8_t turned[64];
    turn(turned, peer, 32);
    turn(turned + 32, peer + 32, 32);
    return compute(controller, 32, ys_crypto_secret(draw, controller, key, turned, controller->computing.result));
}

/* Vol 4 Part E 7.8.37. */
static uint8_t generate_secret(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)answer;
    if (controller->computing.busy || !controller->computing.has_key)
        return YS_HCI_COMMAND_DISALLOWED;
    return generate(controller, controller->computing.private_key, ys_get_bytes(parameters, 64));
}

/* Vol 4 Part E 7.8.93, and Vol 3 Part H 2.3.5.6.1 of the key for debugging. */
static uint8_t generate_secret_2(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    static const uint8_t debug_key[32] = {0x3f, 0x49, 0xf6, 0xd4, 0xa3, 0xc5, 0x5f, 0x38, 0x74, 0xc9, 0xb3,
                                          0xe3, 0xd2, 0x10, 0x3f, 0x50, 0x4a, 0xff, 0x60, 0x7b, 0xeb, 0x40,
                                          0xb7, 0x99, 0x58, 0x99, 0xb8, 0xa6, 0xcd, 0x3c, 0x1a, 0xbd};
    const uint8_t *peer = ys_get_bytes(parameters, 64);
    uint8_t type = ys_get_u8(parameters);
    (void)answer;
    if (type > 1)
        return YS_HCI_INVALID_PARAMETERS;
    if (controller->computing.busy || (type == 0 && !controller->computing.has_key))
        return YS_HCI_COMMAND_DISALLOWED;
    return generate(controller, type == 1 ? debug_key : controller->computing.private_key, peer);
}

void computing_stop(struct ys_controller *controller)
{
    struct computing *computing = &controller->computing;
    if (computing->busy)
        ys_clock_cancel(controller->clock, &computing->timer);
    computing->busy = false;
    computing->has_key = false;
    memset(computing->private_key, 0, sizeof computing->private_key);
}

static const struct command_row rows[] = {
    {YS_HCI_SET_HOST_FLOW_CONTROL, 1, false, GENERATION_ANY, set_host_flow_control},
    {YS_HCI_HOST_BUFFER_SIZE, 7, false, GENERATION_ANY, set_host_buffers},
    {YS_HCI_SET_EVENT_MASK_2, 8, false, GENERATION_ANY, set_event_mask_2},
    {YS_HCI_READ_LE_SUPPORT, 0, false, GENERATION_ANY, read_le_support},
    {YS_HCI_WRITE_LE_SUPPORT, 2, false, GENERATION_ANY, write_le_support},
    {YS_HCI_READ_VERSION, 0, false, GENERATION_ANY, read_version},
    {YS_HCI_READ_BUFFER_SIZE, 0, false, GENERATION_ANY, read_buffer_size},
    {YS_HCI_LE_READ_ADVERTISING_POWER, 0, false, GENERATION_LEGACY, read_advertising_power},
    {YS_HCI_LE_READ_STATES, 0, false, GENERATION_ANY, read_states},
    {YS_HCI_LE_ENCRYPT, 32, false, GENERATION_ANY, encrypt},
    {YS_HCI_LE_RAND, 0, false, GENERATION_ANY, random_number},
    {YS_HCI_LE_READ_PUBLIC_KEY, 0, true, GENERATION_ANY, read_public_key},
    {YS_HCI_LE_GENERATE_SECRET, 64, true, GENERATION_ANY, generate_secret},
    {YS_HCI_LE_GENERATE_SECRET_2, 65, true, GENERATION_ANY, generate_secret_2},
};

const struct command_row *commands_find_host(uint16_t opcode)
{
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        if (rows[i].opcode == opcode)
            return &rows[i];
    }
    return NULL;
}
