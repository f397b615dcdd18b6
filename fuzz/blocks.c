/* AES by a controller that says anything: a row of packets, each after its length; a length of 0 has a block encrypted.
 * Whatever comes, the host gets each packet that is no answer to a block, in its order and as it was. */
#include <stdlib.h>
#include <string.h>

#include <yarnswift/borrow.h>

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

#define LONGEST      YS_BORROW_AES_LONGEST(27)
#define PACKETS_MOST 64

struct packet {
    const uint8_t *bytes;
    size_t length;
};

static const uint8_t *left;
static size_t left_size;
static struct packet taken[PACKETS_MOST]; /* from the line, and not handed to the host yet */
static size_t taken_count;
static uint8_t on_line[256]; /* what the line hands over is there until the next */

/* An event that ends the command for a block. */
static bool is_answer(const uint8_t *packet, size_t length)
{
    return (length >= 6 && packet[0] == 4 && packet[1] == 0x0e && packet[2] == length - 3 && packet[4] == 0x17 &&
            packet[5] == 0x20) ||
           (length >= 7 && packet[0] == 4 && packet[1] == 0x0f && packet[2] == length - 3 && packet[5] == 0x17 &&
            packet[6] == 0x20);
}

static const uint8_t *receive(void *context, size_t *length)
{
    (void)context;
    if (left_size == 0 || left[0] == 0 || left[0] >= left_size || taken_count == PACKETS_MOST)
        return NULL;
    const struct packet packet = {left + 1, left[0]};
    left += 1 + packet.length;
    left_size -= 1 + packet.length;
    if (!is_answer(packet.bytes, packet.length))
        taken[taken_count++] = packet;
    memset(on_line, 0xee, sizeof on_line);
    memcpy(on_line, packet.bytes, packet.length);
    *length = packet.length;
    return on_line;
}

static void send(void *context, const uint8_t *packet, size_t length)
{
    (void)context;
    if (length != 36 || packet[0] != 1)
        abort();
}

static uint32_t now_ms(void *context)
{
    uint32_t *now = context;
    return *now += 50;
}

static bool wait(void *context)
{
    (void)context;
    return true;
}

/* The host gets what was taken first. */
static void give_one(struct ys_borrowed_aes *aes)
{
    size_t length;
    const uint8_t *packet = ys_borrow_aes_receive(aes, &length);
    if (packet == NULL) {
        if (taken_count > 0)
            abort();
        return;
    }
    if (taken_count == 0 || length != taken[0].length || memcmp(packet, taken[0].bytes, length) != 0)
        abort();
    memmove(taken, taken + 1, --taken_count * sizeof *taken);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    static struct ys_host host;
    static uint8_t memory[YS_BORROW_AES_SIZE(2, 27)];
    static const uint8_t block[16];
    uint8_t cipher[16];
    uint32_t now = 0;
    const struct ys_port line = {.context = &now, .send = send, .receive = receive, .now_ms = now_ms};
    struct ys_borrowed_aes aes = {
        .line = &line, .memory = memory, .size = sizeof memory, .longest = LONGEST, .wait = wait};
    memset(&host, 0, sizeof host);
    ys_borrow_aes_use(&host, &aes);
    left = data;
    left_size = size;
    taken_count = 0;
    while (left_size > 0) {
        if (left[0] == 0) {
            left++;
            left_size--;
            (void)ys_borrow_aes_encrypt(&aes, block, block, cipher);
        } else if (left[0] >= left_size) {
            break;
        } else {
            give_one(&aes);
        }
        if (taken_count == PACKETS_MOST)
            break;
    }
    while (taken_count > 0)
        give_one(&aes);
    return 0;
}
