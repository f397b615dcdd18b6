/* AES by the controller, for a host that waits for it. */
#include <yarnswift/borrow.h>

#include <string.h>

#include "host/core/state.h"
#include "wire/hci.h"

#define BLOCK_SIZE   16
#define COMMAND_SIZE (4 + 2 * BLOCK_SIZE)
#define ANSWER_MS    1000
#define HEAD_SIZE    2 /* in front of each packet that is held: its length */

static size_t length_at(const struct ys_borrowed_aes *aes, size_t at)
{
    return aes->memory[at] | (size_t)aes->memory[at + 1] << 8;
}

/* What an event that ends a command says of it; false if it is none. */
static bool is_answer(const uint8_t *packet, size_t length, uint8_t *credits, uint16_t *opcode,
                      struct ys_reader *answer)
{
    struct ys_reader reader = ys_reader_of(packet, length);
    struct ys_reader parameters;
    uint8_t event;
    if (ys_get_u8(&reader) != YS_HCI_EVENT || !ys_get_hci_event(&reader, &event, &parameters) ||
        (event != YS_HCI_COMMAND_COMPLETE && event != YS_HCI_COMMAND_STATUS))
        return false;
    if (event == YS_HCI_COMMAND_STATUS) /* why it is refused */
        (void)ys_get_u8(&parameters);
    *credits = ys_get_u8(&parameters);
    *opcode = ys_get_u16(&parameters);
    *answer = parameters;
    return ys_reader_ok(&parameters);
}

/* The answer to a block that nobody waits for any more. */
static bool is_late(const uint8_t *packet, size_t length)
{
    struct ys_reader answer;
    uint8_t credits;
    uint16_t opcode;
    return is_answer(packet, length, &credits, &opcode, &answer) && opcode == YS_HCI_LE_ENCRYPT;
}

static bool has_room(const struct ys_borrowed_aes *aes)
{
    return aes->size - aes->held >= HEAD_SIZE + (size_t)aes->longest;
}

static void hold(struct ys_borrowed_aes *aes, const uint8_t *packet, size_t length)
{
    uint8_t *to = aes->memory + aes->held;
    to[0] = (uint8_t)length;
    to[1] = (uint8_t)(length >> 8);
    memcpy(to + HEAD_SIZE, packet, length);
    aes->held += HEAD_SIZE + length;
}

/* The host is done with the packet that it had. */
static void drop_first(struct ys_borrowed_aes *aes)
{
    size_t first = HEAD_SIZE + length_at(aes, 0);
    aes->held -= first;
    memmove(aes->memory, aes->memory + first, aes->held);
    aes->handed = false;
}

const uint8_t *ys_borrow_aes_receive(void *context, size_t *length)
{
    struct ys_borrowed_aes *aes = context;
    if (aes->handed)
        drop_first(aes);
    while (aes->held == 0) {
        const uint8_t *packet = aes->line->receive(aes->line->context, length);
        if (packet == NULL)
            return NULL;
        if (*length <= aes->longest && !is_late(packet, *length))
            hold(aes, packet, *length);
    }
    aes->handed = true;
    *length = length_at(aes, 0);
    return aes->memory + HEAD_SIZE;
}

/* Lets a packet come; false if it is time to give up. */
static bool wait(const struct ys_borrowed_aes *aes, uint32_t began_ms)
{
    return aes->line->now_ms(aes->line->context) - began_ms < ANSWER_MS && aes->wait(aes->wait_context);
}

/* Holds what comes, until a command has been answered: this one, or with 0 one of the host's, so that another may go.
 */
static bool hear(struct ys_borrowed_aes *aes, uint16_t wanted, struct ys_reader *answer)
{
    uint32_t began_ms = aes->line->now_ms(aes->line->context);
    while (has_room(aes)) {
        size_t length;
        uint8_t credits = 0;
        uint16_t opcode = 0;
        const uint8_t *packet = aes->line->receive(aes->line->context, &length);
        if (packet == NULL && !wait(aes, began_ms))
            return false;
        if (packet == NULL)
            continue;
        bool answers = is_answer(packet, length, &credits, &opcode, answer);
        if (answers)
            aes->host->command_credits = credits;
        if (length <= aes->longest && !(answers && opcode == YS_HCI_LE_ENCRYPT))
            hold(aes, packet, length);
        if (answers && (wanted != 0 ? opcode == wanted : credits > 0))
            return true;
    }
    return false;
}

static void put_turned(struct ys_writer *writer, const uint8_t *block)
{
    for (size_t i = BLOCK_SIZE; i > 0; i--)
        ys_put_u8(writer, block[i - 1]);
}

/* Vol 4 Part E 7.8.22. */
bool ys_borrow_aes_encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    struct ys_borrowed_aes *aes = context;
    struct ys_reader answer;
    uint8_t command[COMMAND_SIZE];
    struct ys_writer writer = ys_writer_to(command, sizeof command);
    if (aes->host == NULL || (aes->host->command_credits == 0 && !hear(aes, 0, &answer)))
        return false;
    ys_hci_command_begin(&writer, YS_HCI_LE_ENCRYPT);
    put_turned(&writer, key);
    put_turned(&writer, plain);
    ys_hci_end(&writer);
    aes->line->send(aes->line->context, command, sizeof command);
    bool good = hear(aes, YS_HCI_LE_ENCRYPT, &answer) && ys_get_u8(&answer) == YS_HCI_OK;
    const uint8_t *block = good ? ys_get_bytes(&answer, BLOCK_SIZE) : NULL;
    for (size_t i = 0; i < BLOCK_SIZE && block != NULL; i++)
        cipher[i] = block[BLOCK_SIZE - 1 - i];
    if (block != NULL && aes->host->command_credits == 0) /* the host may be about to send one */
        (void)hear(aes, 0, &answer);
    return block != NULL;
}

void ys_borrow_aes_use(struct ys_host *host, struct ys_borrowed_aes *aes)
{
    aes->host = host;
    aes->held = 0;
    aes->handed = false;
}
