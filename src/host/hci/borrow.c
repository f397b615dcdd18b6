/* Random numbers and the curve, from the controller (Core 5.4 Vol 4 Part E 7.8.23, 7.8.36, 7.8.37). */
#include <yarnswift/borrow.h>
#include <yarnswift/controller.h>

#include <string.h>

#include "host/core/events.h"
#include "host/core/state.h"
#include "wire/hci.h"

#define RANDOM_SIZE 8
#define SECRET_SIZE 32
#define KEY_SIZE    64
#define OWN_KEY     0 /* of those that the second generation can use */

/* Clears what must not stay, in a way that a compiler does not leave out. */
static void wipe(void *memory, size_t length)
{
    volatile uint8_t *bytes = memory;
    while (length-- > 0)
        *bytes++ = 0;
}

/* random numbers */

/* Vol 4 Part E 7.8.23. */
static void seeded(struct ys_host *host, struct ys_command *command, uint8_t status, struct ys_reader *answer)
{
    struct ys_borrowed *borrowed = command->context;
    uint8_t bytes[RANDOM_SIZE];
    (void)host;
    ys_get_copy(answer, bytes, sizeof bytes);
    if (status != YS_HCI_OK || !ys_reader_ok(answer))
        return;
    size_t number = (size_t)(command - borrowed->seeds);
    uint8_t *into = number < 2 ? borrowed->key : borrowed->counter;
    for (size_t i = 0; i < RANDOM_SIZE; i++)
        into[number % 2 * RANDOM_SIZE + i] ^= bytes[i];
    borrowed->seeded = (uint8_t)(borrowed->seeded | 1 << number);
    wipe(bytes, sizeof bytes);
}

static bool next_block(struct ys_borrowed *borrowed, uint8_t block[16])
{
    for (size_t i = 0; i < sizeof borrowed->counter && ++borrowed->counter[i] == 0; i++) {
    }
    return borrowed->encrypt(borrowed->context, borrowed->key, borrowed->counter, block);
}

bool ys_borrow_random(void *context, void *bytes, size_t length)
{
    struct ys_borrowed *borrowed = context;
    uint8_t *to = bytes;
    uint8_t block[16];
    bool good = borrowed->seeded == (1 << YS_BORROW_SEEDS) - 1;
    while (length > 0 && good) {
        size_t part = length < sizeof block ? length : sizeof block;
        good = next_block(borrowed, block);
        memcpy(to, block, part);
        to += part;
        length -= part;
    }
    good = good && next_block(borrowed, block); /* what was given cannot be computed any more from what is kept */
    memcpy(borrowed->key, block, good ? sizeof block : 0);
    wipe(block, sizeof block);
    return good;
}

/* the curve */

static void turn(uint8_t *to, const uint8_t *from, size_t length)
{
    for (size_t i = 0; i < length; i++)
        to[i] = from[length - 1 - i];
}

static bool ask_curve(struct ys_borrowed *borrowed, uint16_t opcode, const char *name, uint8_t length,
                      uint8_t result_length)
{
    borrowed->curve.opcode = opcode;
    borrowed->curve.name = name;
    borrowed->curve.parameters = borrowed->parameters;
    borrowed->curve.length = length;
    borrowed->state = YS_CURVE_BUSY;
    borrowed->length = result_length;
    return ys_command_send(borrowed->host, &borrowed->curve) == YS_OK;
}

/* The command was taken; or it was not, and a controller of the second generation may only know the other one. */
static void curve_begun(struct ys_host *host, struct ys_command *command, uint8_t status, struct ys_reader *answer)
{
    struct ys_borrowed *borrowed = command->context;
    (void)host;
    (void)answer;
    if (status == YS_HCI_OK || borrowed->state != YS_CURVE_BUSY)
        return;
    borrowed->parameters[KEY_SIZE] = OWN_KEY;
    if (status != YS_HCI_UNKNOWN_COMMAND || command->opcode != YS_HCI_LE_GENERATE_SECRET ||
        !ask_curve(borrowed, YS_HCI_LE_GENERATE_SECRET_2, "LE Generate DHKey", KEY_SIZE + 1, SECRET_SIZE))
        borrowed->state = YS_CURVE_FAILED;
}

/* Vol 4 Part E 7.7.65.8, 7.7.65.9. */
static void heard(struct ys_host *host, uint8_t subevent, struct ys_reader *parameters, void *context)
{
    struct ys_borrowed *borrowed = context;
    uint8_t wanted = borrowed->length == KEY_SIZE ? YS_HCI_LE_PUBLIC_KEY_COMPLETE : YS_HCI_LE_SECRET_COMPLETE;
    (void)host;
    if (subevent != wanted || borrowed->length == 0 || borrowed->state != YS_CURVE_BUSY)
        return;
    uint8_t status = ys_get_u8(parameters);
    const uint8_t *bytes = ys_get_bytes(parameters, borrowed->length);
    if (status != YS_HCI_OK || bytes == NULL) {
        borrowed->state = YS_CURVE_FAILED;
        return;
    }
    for (size_t at = 0; at < borrowed->length; at += SECRET_SIZE)
        turn(borrowed->result + at, bytes + at, SECRET_SIZE);
    borrowed->state = YS_CURVE_DONE;
}

bool ys_borrow_curve_key(void *context)
{
    struct ys_borrowed *borrowed = context;
    return !borrowed->curve.waits &&
           ask_curve(borrowed, YS_HCI_LE_READ_PUBLIC_KEY, "LE Read Local P-256 Public Key", 0, KEY_SIZE);
}

bool ys_borrow_curve_secret(void *context, const uint8_t *peer)
{
    struct ys_borrowed *borrowed = context;
    if (borrowed->curve.waits)
        return false;
    for (size_t at = 0; at < KEY_SIZE; at += SECRET_SIZE)
        turn(borrowed->parameters + at, peer + at, SECRET_SIZE);
    return ask_curve(borrowed, YS_HCI_LE_GENERATE_SECRET, "LE Generate DHKey", KEY_SIZE, SECRET_SIZE);
}

enum ys_curve ys_borrow_curve_result(void *context, uint8_t *result)
{
    struct ys_borrowed *borrowed = context;
    enum ys_curve state = borrowed->length > 0 ? (enum ys_curve)borrowed->state : YS_CURVE_FAILED;
    if (result != NULL && state == YS_CURVE_BUSY)
        return state;
    if (result != NULL && state == YS_CURVE_DONE)
        memcpy(result, borrowed->result, borrowed->length);
    wipe(borrowed->result, sizeof borrowed->result);
    borrowed->length = 0;
    borrowed->state = YS_CURVE_FAILED;
    return state;
}

/* both */

/* Vol 4 Part E 6.27. */
const struct ys_need ys_borrow_needs[YS_BORROW_NEEDS] = {
    {27 * 8 + 6, 0, "LE Encrypt"},
    {27 * 8 + 7, 0, "LE Rand"},
    {34 * 8 + 1, 0, "LE Read Local P-256 Public Key"},
    {34 * 8 + 2, 41 * 8 + 2, "LE Generate DHKey"},
};

void ys_borrow_init(struct ys_borrowed *borrowed, ys_encrypt_fn *encrypt, void *context)
{
    memset(borrowed, 0, sizeof *borrowed);
    borrowed->encrypt = encrypt;
    borrowed->context = context;
    borrowed->state = YS_CURVE_FAILED;
}

void ys_borrow_use(struct ys_host *host, struct ys_commands *commands, struct ys_borrowed *borrowed)
{
    borrowed->host = host;
    for (size_t i = 0; i < YS_BORROW_SEEDS; i++) {
        borrowed->seeds[i] =
            (struct ys_command){.opcode = YS_HCI_LE_RAND, .name = "LE Rand", .done = seeded, .context = borrowed};
        ys_command_at_start(commands, &borrowed->seeds[i]);
    }
    borrowed->curve = (struct ys_command){.done = curve_begun, .context = borrowed};
    commands->event = heard;
    commands->event_context = borrowed;
    host->le_events |= 1U << (YS_HCI_LE_PUBLIC_KEY_COMPLETE - 1) | 1U << (YS_HCI_LE_SECRET_COMPLETE - 1);
}
