/* Commands of the firmware's between those of the host, and what a port borrows of its controller. */
#include "support/check.h"

#include <stdio.h>
#include <string.h>

#include <yarnswift/borrow.h>
#include <yarnswift/controller.h>

#include "machine/crypto.h"
#include "support/hex.h"
#include "support/scripted.h"

struct answers {
    unsigned count;
    uint8_t status;
    uint8_t bytes[64];
    size_t length;
};

static void note(struct ys_host *host, struct ys_command *command, uint8_t status, struct ys_reader *answer)
{
    struct answers *answers = command->context;
    (void)host;
    answers->count++;
    answers->status = status;
    answers->length = ys_reader_left(answer);
    ys_get_copy(answer, answers->bytes, answers->length < sizeof answers->bytes ? answers->length : 0);
}

static void vendor(struct ys_host *host, void *context, struct ys_reader *parameters)
{
    struct answers *answers = context;
    (void)host;
    answers->count++;
    answers->length = ys_reader_left(parameters);
    ys_get_copy(parameters, answers->bytes, answers->length);
}

static void a_vendors_commands_go_right_after_the_reset_of_each_start(void **state)
{
    static struct scripted scripted;
    struct ys_commands commands;
    struct answers answers = {0};
    const uint8_t address[] = {1, 2, 3, 4, 5, 6};
    struct ys_command first = {.opcode = 0xfc01, .parameters = address, .length = 6, .done = note, .context = &answers};
    struct ys_command second = {.opcode = 0xfc02, .may_fail = true, .done = note, .context = &answers};
    (void)state;
    scripted_init(&scripted, &ys_table_bare, NULL, NULL);
    ys_host_use_commands(&scripted.host, &commands);
    ys_command_at_start(&commands, &first);
    ys_command_at_start(&commands, &second);
    for (int i = 0; i < 2; i++) {
        ys_host_start(&scripted.host);
        assert_int_equal(ys_command_send(&scripted.host, &first), YS_ERROR_NOT_READY);
        (void)turn(&scripted);
        assert_sent(&scripted, "01 03 0c 00");
        give(&scripted, "04 0e 04 01 03 0c 00");
        assert_sent(&scripted, "01 01 fc 06 01 02 03 04 05 06");
        give(&scripted, "04 0e 06 01 01 fc 00 aa bb");
        assert_int_equal(answers.length, 2);
        assert_sent(&scripted, "01 02 fc 00");
        give(&scripted, "04 0e 04 01 02 fc 01"); /* it is not known, and need not be */
        assert_int_equal(answers.status, YS_HCI_UNKNOWN_COMMAND);
        assert_sent(&scripted, "01 03 10 00"); /* and then the host's own */
        assert_int_equal(answers.count, 2 * (i + 1));
    }
}

static void a_command_that_must_not_fail_ends_the_start_and_is_named(void **state)
{
    static struct scripted scripted;
    struct ys_commands commands;
    struct ys_command patch = {.opcode = 0xfc05, .name = "Load Patch"};
    (void)state;
    scripted_init(&scripted, &ys_table_bare, NULL, NULL);
    ys_host_use_commands(&scripted.host, &commands);
    ys_command_at_start(&commands, &patch);
    ys_host_start(&scripted.host);
    (void)turn(&scripted);
    give(&scripted, "04 0e 04 01 03 0c 00");
    give(&scripted, "04 0e 04 01 05 fc 12");
    assert_int_equal(scripted.event_count, 1);
    assert_int_equal(scripted.events[0].kind, YS_EVENT_START_FAILED);
    assert_string_equal(scripted.events[0].u.start.step, "Load Patch");
    assert_int_equal(scripted.events[0].u.start.status, YS_HCI_INVALID_PARAMETERS);
}

static void commands_wait_for_each_other_and_for_the_hosts_own(void **state)
{
    static struct scripted scripted;
    static const uint8_t handle[] = {0x01, 0x00};
    struct ys_commands commands;
    struct answers answers = {0};
    struct answers heard = {0};
    struct ys_command strength = {
        .opcode = 0x1405, .parameters = handle, .length = 2, .done = note, .context = &answers};
    struct ys_command other = {.opcode = 0xfc11, .done = note, .context = &answers};
    (void)state;
    scripted_init(&scripted, &ys_table_bare, NULL, NULL);
    assert_int_equal(ys_command_send(&scripted.host, &strength), YS_ERROR_UNSUPPORTED);
    ys_host_use_commands(&scripted.host, &commands);
    ys_command_hear_vendor(&commands, vendor, &heard);
    scripted_start(&scripted, 27, 4);
    forget_sent(&scripted);
    assert_int_equal(ys_command_send(&scripted.host, &strength), YS_OK);
    assert_int_equal(ys_command_send(&scripted.host, &strength), YS_ERROR_BUSY);
    assert_int_equal(ys_command_send(&scripted.host, &other), YS_OK);
    (void)turn(&scripted);
    assert_sent(&scripted, "01 05 14 02 01 00");
    give(&scripted, "04 ff 03 77 88 99"); /* a vendor's event, whenever it likes */
    assert_int_equal(heard.count, 1);
    assert_hex(heard.bytes, heard.length, "77 88 99");
    assert_sent(&scripted, "");
    give(&scripted, "04 0e 07 01 05 14 00 01 00 c4");
    assert_hex(answers.bytes, answers.length, "01 00 c4");
    assert_sent(&scripted, "01 11 fc 00");
    assert_int_equal(ys_command_send(&scripted.host, &strength), YS_OK); /* it is done, and may go again */
    give(&scripted, "04 0f 04 0c 01 11 fc");
    assert_int_equal(answers.status, YS_HCI_COMMAND_DISALLOWED);
    assert_sent(&scripted, "01 05 14 02 01 00");
    /* the controller is lost: what was asked for goes after the next start */
    give(&scripted, "04 10 01 01");
    scripted_start(&scripted, 27, 4);
    assert_int_equal(answers.count, 2);
    give(&scripted, "04 0e 07 01 05 14 00 01 00 c5");
    assert_int_equal(answers.count, 3);
    other.length = YS_COMMAND_LENGTH_MOST + 1;
    assert_int_equal(ys_command_send(&scripted.host, &other), YS_ERROR_ARGUMENT);
}

/* borrowed */

static bool encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    return ys_crypto_encrypt(key, plain, cipher);
}

static void there_are_no_random_numbers_until_the_controller_has_given_its_own(void **state)
{
    static struct scripted scripted;
    struct ys_commands commands;
    struct ys_borrowed borrowed;
    uint8_t a[40];
    uint8_t b[40];
    (void)state;
    scripted_init(&scripted, &ys_table_bare, NULL, NULL);
    ys_borrow_init(&borrowed, encrypt, NULL);
    ys_host_use_commands(&scripted.host, &commands);
    ys_borrow_use(&scripted.host, &commands, &borrowed);
    assert_false(ys_borrow_random(&borrowed, a, sizeof a));
    ys_host_start(&scripted.host);
    (void)turn(&scripted);
    give(&scripted, "04 0e 04 01 03 0c 00");
    for (int i = 0; i < YS_BORROW_SEEDS; i++) {
        forget_sent(&scripted);
        assert_false(ys_borrow_random(&borrowed, a, sizeof a));
        give(&scripted, "04 0e 0c 01 18 20 00 11 22 33 44 55 66 77 88");
    }
    assert_sent(&scripted, "01 03 10 00");
    assert_true(ys_borrow_random(&borrowed, a, sizeof a));
    assert_true(ys_borrow_random(&borrowed, b, sizeof b));
    assert_memory_not_equal(a, b, sizeof a);
    assert_memory_not_equal(a, a + 16, 16);
    memset(a, 0, sizeof a); /* any length, and none too many bytes */
    for (size_t length = 0; length <= 33; length++) {
        memset(a, 0, sizeof a);
        assert_true(ys_borrow_random(&borrowed, a, length));
        for (size_t i = length; i < sizeof a; i++)
            assert_int_equal(a[i], 0);
    }
}

/* Half of all bits are set, each of them in half of all bytes. */
static void what_is_drawn_looks_like_chance(void **state)
{
    struct ys_borrowed borrowed;
    unsigned set[8] = {0};
    (void)state;
    ys_borrow_init(&borrowed, encrypt, NULL);
    borrowed.seeded = (1 << YS_BORROW_SEEDS) - 1;
    for (int i = 0; i < 1000; i++) {
        uint8_t bytes[16];
        assert_true(ys_borrow_random(&borrowed, bytes, sizeof bytes));
        for (size_t j = 0; j < sizeof bytes; j++)
            for (unsigned bit = 0; bit < 8; bit++)
                set[bit] += bytes[j] >> bit & 1;
    }
    for (unsigned bit = 0; bit < 8; bit++)
        assert_in_range(set[bit], 7700, 8300);
}

static void a_start_without_random_numbers_names_them(void **state)
{
    static struct scripted scripted;
    struct ys_commands commands;
    struct ys_borrowed borrowed;
    (void)state;
    scripted_init(&scripted, &ys_table_bare, NULL, NULL);
    ys_borrow_init(&borrowed, encrypt, NULL);
    ys_host_use_commands(&scripted.host, &commands);
    ys_borrow_use(&scripted.host, &commands, &borrowed);
    ys_host_start(&scripted.host);
    (void)turn(&scripted);
    give(&scripted, "04 0e 04 01 03 0c 00");
    give(&scripted, "04 0e 04 01 18 20 01");
    assert_int_equal(scripted.events[0].kind, YS_EVENT_START_FAILED);
    assert_string_equal(scripted.events[0].u.start.step, "LE Rand");
}

/* A host that is ready, and borrows. */
static void begin_ready(struct scripted *scripted, struct ys_commands *commands, struct ys_borrowed *borrowed)
{
    scripted_init(scripted, &ys_table_bare, NULL, NULL);
    ys_borrow_init(borrowed, encrypt, NULL);
    ys_host_use_commands(&scripted->host, commands);
    scripted_start(scripted, 27, 4);
    ys_borrow_use(&scripted->host, commands, borrowed); /* after it, as if it had been seeded */
    forget_sent(scripted);
}

static void the_curve_is_computed_by_commands_of_either_generation(void **state)
{
    static struct scripted scripted;
    struct ys_commands commands;
    struct ys_borrowed borrowed;
    uint8_t result[64];
    uint8_t peer[64];
    char text[400] = "04 3e 42 08 00";
    (void)state;
    begin_ready(&scripted, &commands, &borrowed);
    assert_int_equal(ys_borrow_curve_result(&borrowed, result), YS_CURVE_FAILED); /* nothing was asked for */
    assert_true(ys_borrow_curve_key(&borrowed));
    assert_false(ys_borrow_curve_key(&borrowed));
    (void)turn(&scripted);
    assert_sent(&scripted, "01 25 20 00");
    assert_int_equal(ys_borrow_curve_result(&borrowed, result), YS_CURVE_BUSY);
    give(&scripted, "04 0f 04 00 01 25 20");
    assert_int_equal(ys_borrow_curve_result(&borrowed, result), YS_CURVE_BUSY);
    for (int i = 0; i < 64; i++)
        (void)snprintf(text + strlen(text), 4, " %02x", i);
    give(&scripted, text);
    assert_int_equal(ys_borrow_curve_result(&borrowed, result), YS_CURVE_DONE);
    assert_int_equal(result[0], 31); /* most significant first, X and then Y */
    assert_int_equal(result[31], 0);
    assert_int_equal(result[32], 63);
    assert_int_equal(ys_borrow_curve_result(&borrowed, result), YS_CURVE_FAILED); /* it is handed over once */

    for (int i = 0; i < 64; i++)
        peer[i] = (uint8_t)i;
    assert_true(ys_borrow_curve_secret(&borrowed, peer));
    (void)turn(&scripted);
    assert_int_equal(scripted.sent[0][1], 0x26);
    assert_int_equal(scripted.sent[0][4], 31);
    assert_int_equal(scripted.sent[0][36], 63);
    forget_sent(&scripted);
    give(&scripted, "04 0f 04 01 01 26 20"); /* this one only knows the second generation */
    assert_int_equal(scripted.sent[0][1], 0x5e);
    assert_int_equal(scripted.sent[0][3], 65);
    assert_int_equal(scripted.sent[0][4 + 64], 0);
    give(&scripted, "04 0f 04 00 01 5e 20");
    (void)snprintf(text, sizeof text, "04 3e 22 09 00");
    for (int i = 0; i < 32; i++)
        (void)snprintf(text + strlen(text), 4, " %02x", i);
    give(&scripted, text);
    assert_int_equal(ys_borrow_curve_result(&borrowed, result), YS_CURVE_DONE);
    assert_int_equal(result[0], 31);
}

static void a_computation_fails_by_its_command_its_event_and_when_it_is_given_up(void **state)
{
    static struct scripted scripted;
    struct ys_commands commands;
    struct ys_borrowed borrowed;
    uint8_t result[64];
    const uint8_t peer[64] = {1};
    (void)state;
    begin_ready(&scripted, &commands, &borrowed);
    assert_true(ys_borrow_curve_key(&borrowed));
    (void)turn(&scripted);
    give(&scripted, "04 0f 04 01 01 25 20");
    assert_int_equal(ys_borrow_curve_result(&borrowed, result), YS_CURVE_FAILED);
    assert_true(ys_borrow_curve_secret(&borrowed, peer));
    (void)turn(&scripted);
    give(&scripted, "04 0f 04 00 01 26 20");
    give(&scripted, "04 3e 03 09 05 00"); /* too short, and an error */
    assert_int_equal(ys_borrow_curve_result(&borrowed, result), YS_CURVE_FAILED);
    assert_true(ys_borrow_curve_key(&borrowed));
    (void)turn(&scripted);
    give(&scripted, "04 0f 04 00 01 25 20");
    (void)ys_borrow_curve_result(&borrowed, NULL); /* given up: what comes later is nobody's */
    give(&scripted, "04 3e 02 08 0c");
    assert_int_equal(ys_borrow_curve_result(&borrowed, result), YS_CURVE_FAILED);
}

/* facts and questions */

static void give_commands(struct scripted *scripted, unsigned without)
{
    char text[300] = "04 0e 44 01 02 10 00";
    for (unsigned octet = 0; octet < 64; octet++) {
        unsigned bits = without / 8 == octet ? 0xffu & ~(1u << without % 8) : 0xff;
        (void)snprintf(text + strlen(text), 4, " %02x", without > 1000 ? 0 : bits);
    }
    give(scripted, text);
}

static void begin_facts(struct scripted *scripted, struct ys_commands *commands, struct ys_controller_facts *facts)
{
    scripted_init(scripted, &ys_table_bare, NULL, NULL);
    ys_host_use_commands(&scripted->host, commands);
    ys_controller_read(commands, facts, ys_borrow_needs, YS_BORROW_NEEDS);
    ys_host_start(&scripted->host);
    (void)turn(scripted);
    give(scripted, "04 0e 04 01 03 0c 00");
    forget_sent(scripted);
    give(scripted, "04 0e 0c 01 01 10 00 0d 34 12 0d ff ff 01 00");
    assert_sent(scripted, "01 02 10 00");
}

static void what_a_controller_lacks_is_named_in_one_message(void **state)
{
    static struct scripted scripted;
    struct ys_commands commands;
    struct ys_controller_facts facts;
    (void)state;
    begin_facts(&scripted, &commands, &facts);
    assert_int_equal(facts.version, 13);
    assert_int_equal(facts.revision, 0x1234);
    assert_int_equal(facts.company, 0xffff);
    give_commands(&scripted, 9999);
    assert_string_equal(last_event(&scripted, YS_EVENT_START_FAILED)->u.start.step,
                        "the controller lacks LE Encrypt, LE Rand, LE Read Local P-256 Public Key, LE Generate DHKey");
    begin_facts(&scripted, &commands, &facts);
    give_commands(&scripted, 27 * 8 + 7);
    assert_string_equal(last_event(&scripted, YS_EVENT_START_FAILED)->u.start.step, "the controller lacks LE Rand");
    assert_false(ys_controller_supports(&facts, 27 * 8 + 7));
    assert_true(ys_controller_supports(&facts, 27 * 8 + 6));
    begin_facts(&scripted, &commands, &facts);
    give_commands(&scripted, 34 * 8 + 2); /* the second generation of it does as well */
    assert_int_equal(count_events(&scripted, YS_EVENT_START_FAILED), 0);
    assert_sent(&scripted, "01 03 10 00");
    begin_facts(&scripted, &commands, &facts);
    give(&scripted, "04 0e 04 01 02 10 01"); /* it does not tell */
    assert_int_equal(count_events(&scripted, YS_EVENT_START_FAILED), 0);
    assert_true(ys_controller_supports(&facts, 1));
}

static void note_value(struct ys_host *host, struct ys_ask *ask, uint8_t status, int16_t value)
{
    int *values = ask->context;
    (void)host;
    values[0] = status;
    values[1] = value;
    values[2]++;
}

static void a_controller_is_asked_for_strength_power_and_defaults(void **state)
{
    static struct scripted scripted;
    struct ys_commands commands;
    int values[3] = {0};
    struct ys_ask ask = {.done = note_value, .context = values};
    (void)state;
    scripted_init(&scripted, &ys_table_bare, NULL, NULL);
    ys_host_use_commands(&scripted.host, &commands);
    scripted_start(&scripted, 27, 4);
    const struct {
        const char *sent;
        const char *answered;
        int value;
    } cases[] = {
        {"01 05 14 02 40 00", "04 0e 07 01 05 14 00 40 00 c4", -60},
        {"01 2d 0c 03 40 00 01", "04 0e 07 01 2d 0c 00 40 00 08", 8},
        {"01 23 20 00", "04 0e 08 01 23 20 00 fb 00 48 08", 251},
        {"01 24 20 04 b8 00 30 06", "04 0e 04 01 24 20 00", 0},
        {"01 31 20 03 02 02 00", "04 0e 04 01 31 20 00", 0},
    };
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        forget_sent(&scripted);
        enum ys_result result = i == 0   ? ys_ask_strength(&scripted.host, &ask, 0x40)
                                : i == 1 ? ys_ask_power(&scripted.host, &ask, 0x40, true)
                                : i == 2 ? ys_ask_default_length(&scripted.host, &ask)
                                : i == 3 ? ys_tell_default_length(&scripted.host, &ask, 184)
                                         : ys_tell_default_phys(&scripted.host, &ask, 2, 0);
        assert_int_equal(result, YS_OK);
        assert_int_equal(ys_ask_strength(&scripted.host, &ask, 1), YS_ERROR_BUSY);
        (void)turn(&scripted);
        assert_sent(&scripted, cases[i].sent);
        give(&scripted, cases[i].answered);
        assert_int_equal(values[0], YS_HCI_OK);
        assert_int_equal(values[1], cases[i].value);
        assert_int_equal(values[2], (int)i + 1);
    }
    assert_int_equal(ys_tell_default_length(&scripted.host, &ask, 26), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_tell_default_phys(&scripted.host, &ask, 8, 0), YS_ERROR_ARGUMENT);
    assert_int_equal(ys_ask_strength(&scripted.host, &ask, 1), YS_OK);
    (void)turn(&scripted);
    give(&scripted, "04 0e 04 01 05 14 02"); /* no such connection */
    assert_int_equal(values[0], YS_HCI_UNKNOWN_CONNECTION);
    assert_int_equal(ys_ask_strength(&scripted.host, &ask, 1), YS_OK);
    (void)turn(&scripted);
    give(&scripted, "04 0e 04 01 05 14 00"); /* an answer without one */
    assert_int_equal(values[0], YS_HCI_UNSPECIFIED);
}

/* AES by the controller */

/* FIPS 197, appendix C.1; in commands and answers the least significant byte comes first. */
static const uint8_t key_bytes[] = {0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15};
static const uint8_t plain_bytes[] = {0x00, 0x11, 0x22, 0x33, 0x44, 0x55, 0x66, 0x77,
                                      0x88, 0x99, 0xaa, 0xbb, 0xcc, 0xdd, 0xee, 0xff};
#define LE_ENCRYPT                                                                                                     \
    "01 17 20 20 0f 0e 0d 0c 0b 0a 09 08 07 06 05 04 03 02 01 00 ff ee dd cc bb aa 99 88 77 66 55 44 33 22 11 00"
#define CIPHER   "69 c4 e0 d8 6a 7b 04 30 d8 cd b7 80 70 b4 c5 5a"
#define ANSWER   "04 0e 14 01 17 20 00 5a c5 b4 70 80 b7 cd d8 30 04 7b 6a d8 e0 c4 69"
#define NO_ROOM  "04 0e 14 00 17 20 00 5a c5 b4 70 80 b7 cd d8 30 04 7b 6a d8 e0 c4 69"
#define ONE_MORE "04 0e 03 01 00 00"
#define DATA     "02 40 20 07 00 03 00 04 00 0a 03 00"

static struct ys_port the_line;
static uint8_t aes_memory[YS_BORROW_AES_SIZE(2, 27)];
static struct ys_borrowed_aes the_aes;
static const char *to_come[8];
static size_t coming;

static const uint8_t *receive(void *context, size_t *length)
{
    (void)context;
    return ys_borrow_aes_receive(&the_aes, length);
}

/* Each time something is waited for, the next packet comes; or 100 ms pass. */
static bool next_comes(void *context)
{
    struct scripted *scripted = context;
    if (to_come[coming] != NULL)
        leave_packet(scripted, to_come[coming++]);
    else
        scripted->now_ms += 100;
    return true;
}

static void begin_aes(struct scripted *scripted, const char *const packets[], size_t count)
{
    scripted_init(scripted, &ys_table_bare, NULL, NULL);
    the_line = scripted->port;
    scripted->port.receive = receive;
    the_aes = (struct ys_borrowed_aes){.line = &the_line,
                                       .memory = aes_memory,
                                       .size = sizeof aes_memory,
                                       .longest = YS_BORROW_AES_LONGEST(27),
                                       .wait = next_comes,
                                       .wait_context = scripted};
    ys_borrow_aes_use(&scripted->host, &the_aes);
    scripted_start(scripted, 27, 4);
    forget_sent(scripted);
    memset(to_come, 0, sizeof to_come);
    memcpy(to_come, packets, count * sizeof *packets);
    coming = 0;
}

/* Vol 4 Part E 7.8.22. */
static void a_block_is_encrypted_by_the_controller_while_the_host_waits(void **state)
{
    static struct scripted scripted;
    static const char *const packets[] = {DATA, "04 05 04 00 99 00 13", ANSWER};
    uint8_t cipher[16];
    (void)state;
    begin_aes(&scripted, packets, 3);
    assert_true(ys_borrow_aes_encrypt(&the_aes, key_bytes, plain_bytes, cipher));
    assert_hex(cipher, sizeof cipher, CIPHER);
    assert_sent(&scripted, LE_ENCRYPT);
    /* what has come meanwhile is the host's, in its order, and stays as it is until the next */
    size_t length;
    const uint8_t *packet = scripted.port.receive(scripted.port.context, &length);
    assert_hex(packet, length, DATA);
    to_come[coming] = ANSWER;
    assert_true(ys_borrow_aes_encrypt(&the_aes, key_bytes, packet, cipher));
    assert_hex(packet, length, DATA);
    packet = scripted.port.receive(scripted.port.context, &length);
    assert_hex(packet, length, "04 05 04 00 99 00 13");
    assert_null(scripted.port.receive(scripted.port.context, &length));
}

/* One command at a time: the host's own is answered first, and there may be no room for the next one yet. */
static void a_block_waits_until_a_command_may_go(void **state)
{
    static struct scripted scripted;
    static const char *const packets[] = {"04 0f 04 00 00 31 20", ONE_MORE, NO_ROOM, ONE_MORE};
    uint8_t cipher[16];
    (void)state;
    begin_aes(&scripted, packets, 4);
    scripted.host.command_credits = 0;
    assert_true(ys_borrow_aes_encrypt(&the_aes, key_bytes, plain_bytes, cipher));
    assert_hex(cipher, sizeof cipher, CIPHER);
    assert_int_equal(coming, 4);
    assert_int_equal(scripted.host.command_credits, 1);
}

static void a_block_that_does_not_come_is_given_up(void **state)
{
    static struct scripted scripted;
    static const char *const refused[] = {"04 0f 04 01 01 17 20", "04 0e 04 01 17 20 0c", "04 0e 05 01 17 20 00 5a"};
    static const char *const busy[] = {DATA, DATA, DATA, ANSWER};
    uint8_t cipher[16] = {0};
    size_t length;
    (void)state;
    begin_aes(&scripted, refused, 3);
    for (int i = 0; i < 3; i++)
        assert_false(ys_borrow_aes_encrypt(&the_aes, key_bytes, plain_bytes, cipher));
    uint32_t began_ms = scripted.now_ms;
    assert_false(ys_borrow_aes_encrypt(&the_aes, key_bytes, plain_bytes, cipher)); /* nothing comes at all */
    assert_in_range(scripted.now_ms - began_ms, 1000, 1100);
    leave_packet(&scripted, ANSWER); /* when nobody waits for it any more */
    assert_null(scripted.port.receive(scripted.port.context, &length));
    /* there is room for two packets besides the one that the host is at: none is lost, so the block is */
    begin_aes(&scripted, busy, 4);
    the_aes.size = YS_BORROW_AES_SIZE(0, 27) + 2 * 14;
    assert_false(ys_borrow_aes_encrypt(&the_aes, key_bytes, plain_bytes, cipher));
    for (int i = 0; i < 3; i++) {
        const uint8_t *packet = scripted.port.receive(scripted.port.context, &length);
        assert_non_null(packet);
        assert_hex(packet, length, DATA);
    }
    for (size_t i = 0; i < sizeof cipher; i++)
        assert_int_equal(cipher[i], 0);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_vendors_commands_go_right_after_the_reset_of_each_start),
        cmocka_unit_test(a_command_that_must_not_fail_ends_the_start_and_is_named),
        cmocka_unit_test(commands_wait_for_each_other_and_for_the_hosts_own),
        cmocka_unit_test(there_are_no_random_numbers_until_the_controller_has_given_its_own),
        cmocka_unit_test(what_is_drawn_looks_like_chance),
        cmocka_unit_test(a_start_without_random_numbers_names_them),
        cmocka_unit_test(a_block_is_encrypted_by_the_controller_while_the_host_waits),
        cmocka_unit_test(a_block_waits_until_a_command_may_go),
        cmocka_unit_test(a_block_that_does_not_come_is_given_up),
        cmocka_unit_test(the_curve_is_computed_by_commands_of_either_generation),
        cmocka_unit_test(what_a_controller_lacks_is_named_in_one_message),
        cmocka_unit_test(a_controller_is_asked_for_strength_power_and_defaults),
        cmocka_unit_test(a_computation_fails_by_its_command_its_event_and_when_it_is_given_up),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
