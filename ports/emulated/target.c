/* A target in an emulator. Everything it sends is checked: its firmware may have any bug. */
#include "emulated/target.h"

#include <inttypes.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <yarnswift/serial.h>

#include "emulated/emulator.h"
#include "emulated/notes.h"
#include "wire/utf8.h"

#define LINE_MOST    700
#define INPUTS_MOST  64
#define COUNTS_MOST  512
#define FLASH_MOST   131072
#define SILENT_MS    10000  /* of the wall: the firmware does not go to sleep */
#define LINES_MOST   100000 /* of one turn */
#define BYTES_A_LINE 64
#define REGISTERS    17

struct ys_target {
    const struct ys_target_calls *calls;
    void *context;
    char *path;
    struct ys_elf *elf; /* NULL: it is at lines */
    uint32_t stamp;
    struct ys_note note;
    struct ys_emulator *emulator; /* NULL: it has no power */
    char *inputs[INPUTS_MOST];
    size_t input_count;
    struct ys_target_count counts[COUNTS_MOST];
    size_t count_count;
    uint32_t stack_deepest;
    uint32_t stack_size;   /* as it says itself */
    uint32_t ticks_per_us; /* of its counter; 0: it has none */
    uint64_t wakes;
    uint8_t *flash;
    uint32_t flash_end; /* of what is not erased */
    char problem[800];
    bool greeted; /* it has said what it is */
    bool was_open;
    /* the step line */
    char buffer[4096];
    size_t buffer_at;
    size_t buffer_end;
    char line[LINE_MOST];
    bool begun;    /* it was given the time, and has not slept since */
    uint32_t sent; /* bytes that it has sent on the other line; and that it was sent: */
    uint32_t given;
    char *input_lines; /* that are to be sent */
    size_t input_length;
    /* the HCI line */
    struct ys_serial serial;
    struct ys_serial_settings serial_settings;
    uint8_t in[65536];
    uint8_t out[64];
    uint8_t packet[4096];
};

#if defined(__GNUC__)
__attribute__((format(printf, 2, 3)))
#endif
static bool
fail(struct ys_target *target, const char *format, ...)
{
    va_list arguments;
    if (target->problem[0] != '\0')
        return false;
    va_start(arguments, format);
    (void)vsnprintf(target->problem, sizeof target->problem, format, arguments);
    va_end(arguments);
    return false;
}

/* lines */

static bool is_connected(const struct ys_target *target)
{
    return target->elf == NULL;
}

static bool fail_gone(struct ys_target *target)
{
    char why[300];
    ys_emulator_why(target->emulator, why, sizeof why);
    return fail(target, "%s%s", is_connected(target) ? "" : "its emulator has ended: ", why);
}

/* The next line of the target, without its end. */
static bool next_line(struct ys_target *target)
{
    size_t length = 0;
    for (;;) {
        while (target->buffer_at < target->buffer_end) {
            char letter = target->buffer[target->buffer_at++];
            if (letter == '\n') {
                target->line[length] = '\0';
                return true;
            }
            if (length < LINE_MOST - 1)
                target->line[length++] = letter;
        }
        long got =
            ys_emulator_receive(target->emulator, YS_EMULATOR_STEP, target->buffer, sizeof target->buffer, SILENT_MS);
        if (got < 0)
            return fail_gone(target);
        if (got == 0 && !target->greeted && is_connected(target))
            return fail(target, "it has not said for %d s that it is there: reset the board, and look at its step line",
                        SILENT_MS / 1000);
        if (got == 0 && !target->greeted)
            return fail(target, "it says nothing for %d s: build it with yarnswift_image, or call ys_step_begin",
                        SILENT_MS / 1000);
        if (got == 0)
            return fail(target, "its firmware has not gone to sleep for %d s: what its main loop calls does not return",
                        SILENT_MS / 1000);
        target->buffer_at = 0;
        target->buffer_end = (size_t)got;
    }
}

static int digit_of(char character)
{
    return character >= '0' && character <= '9'   ? character - '0'
           : character >= 'a' && character <= 'f' ? character - 'a' + 10
                                                  : -1;
}

/* Reads the next number with this many digits; false if there are fewer. */
static bool get_hex(const char **at, int digits, uint64_t *number)
{
    *number = 0;
    for (; digits > 0; digits--, (*at)++) {
        int digit = digit_of(**at);
        if (digit < 0)
            return false;
        *number = *number << 4 | (uint64_t)digit;
    }
    return true;
}

static size_t get_bytes(const char *at, uint8_t *bytes, size_t size)
{
    size_t length = 0;
    uint64_t byte;
    while (length < size && *at != '\0' && get_hex(&at, 2, &byte))
        bytes[length++] = (uint8_t)byte;
    return *at == '\0' ? length : 0;
}

/* what it says while it works */

static bool take_log(struct ys_target *target, const char *at)
{
    uint64_t value;
    if (!get_hex(&at, 8, &value))
        return false;
    target->calls->log(target->context, at, (uint32_t)value);
    return true;
}

static bool take_event(struct ys_target *target, const char *at)
{
    uint8_t bytes[YS_STEP_EVENT_MOST];
    struct ys_step_event event;
    size_t length = get_bytes(at, bytes, sizeof bytes);
    struct ys_reader reader = ys_reader_of(bytes, length);
    if (!ys_step_event_get(&reader, &event))
        return false;
    target->calls->event(target->context, &event);
    return true;
}

static bool take_flash(struct ys_target *target, const char *at, bool erased)
{
    uint8_t bytes[LINE_MOST / 2];
    uint64_t offset;
    uint64_t length = 0;
    if (!get_hex(&at, 8, &offset) || (erased && !get_hex(&at, 8, &length)))
        return false;
    if (!erased)
        length = get_bytes(at, bytes, sizeof bytes);
    if (length == 0 || offset > FLASH_MOST || length > FLASH_MOST - offset)
        return false;
    for (size_t i = 0; i < length; i++)
        target->flash[offset + i] = erased ? 0xff : (uint8_t)(target->flash[offset + i] & bytes[i]);
    if (offset + length > target->flash_end)
        target->flash_end = (uint32_t)(offset + length);
    return true;
}

static bool take_count(struct ys_target *target, const char *at)
{
    uint64_t numbers[4];
    char kind = *at++;
    for (int i = 0; i < 4; i++) {
        if (!get_hex(&at, i == 0 ? 4 : 8, &numbers[i]))
            return false;
    }
    if (target->count_count < COUNTS_MOST)
        target->counts[target->count_count++] = (struct ys_target_count){.kind = kind,
                                                                         .number = (uint16_t)numbers[0],
                                                                         .calls = (uint32_t)numbers[1],
                                                                         .instructions = (double)numbers[2],
                                                                         .most = (double)numbers[3]};
    return true;
}

static bool take_stack(struct ys_target *target, const char *at)
{
    uint64_t deepest;
    uint64_t stack_size;
    if (!get_hex(&at, 8, &deepest) || !get_hex(&at, 8, &stack_size))
        return false;
    target->stack_deepest = (uint32_t)deepest;
    target->stack_size = (uint32_t)stack_size;
    return true;
}

/* Where the processor was, by the names of the file. */
static void name_place(const struct ys_target *target, uint32_t address, char *text, size_t size)
{
    uint32_t offset = 0;
    const char *name = is_connected(target) ? NULL : ys_elf_function(target->elf, address & ~UINT32_C(1), &offset);
    if (name != NULL)
        (void)snprintf(text, size, "%s+0x%x", name, (unsigned)offset);
    else
        (void)snprintf(text, size, "no function (0x%08x)", (unsigned)address);
}

static bool take_fault(struct ys_target *target, const char *at)
{
    uint64_t registers[REGISTERS + 1];
    char text[400];
    char here[120];
    char caller[120];
    size_t used = 0;
    for (int i = 0; i <= REGISTERS; i++) {
        if (!get_hex(&at, 8, &registers[i]))
            return false;
    }
    for (int i = 0; i < 13; i++)
        used += (size_t)snprintf(text + used, sizeof text - used, " r%d 0x%08x", i, (unsigned)registers[i]);
    name_place(target, (uint32_t)registers[15], here, sizeof here);
    name_place(target, (uint32_t)registers[14], caller, sizeof caller);
    return fail(target,
                "its processor has failed in %s, called from %s; pc 0x%08x lr 0x%08x sp 0x%08x status 0x%08x, fault "
                "0x%08x,%s",
                here, caller, (unsigned)registers[15], (unsigned)registers[14], (unsigned)registers[13],
                (unsigned)registers[16], (unsigned)registers[17], text);
}

/* A line that is no end of anything. */
static bool take_line(struct ys_target *target)
{
    const char *at = target->line + 1;
    bool good = true;
    switch (target->line[0]) {
    case 'L':
        good = take_log(target, at);
        break;
    case 'E':
        good = take_event(target, at);
        break;
    case 'P':
    case 'R':
        good = take_flash(target, at, target->line[0] == 'R');
        break;
    case 'C':
        good = take_count(target, at);
        break;
    case 'K':
        good = take_stack(target, at);
        break;
    case 'F':
        good = take_fault(target, at);
        break;
    case 'O':
        return fail(target, "its firmware has lost bytes of its line to the controller");
    case 'H':
        return fail(target, "its firmware has begun anew: it has reset itself");
    default:
        good = false;
        break;
    }
    return good || fail(target, "it says what it should not: \"%.60s\"", target->line);
}

/* Lines until one that begins with this letter. */
static bool take_until(struct ys_target *target, char letter)
{
    for (unsigned i = 0; i < LINES_MOST; i++) {
        if (!next_line(target))
            return false;
        if (target->line[0] == letter)
            return true;
        if (!take_line(target))
            return false;
    }
    return fail(target, "its firmware says more than %d lines without going to sleep", LINES_MOST);
}

/* starting */

static bool take_hello(struct ys_target *target)
{
    uint64_t version;
    uint64_t stamp;
    uint64_t ticks_per_us;
    const char *at = target->line + 1;
    do { /* a board has said other things before it was reset */
        if (!next_line(target))
            return false;
    } while (is_connected(target) && strncmp(target->line, "H0", 2) != 0);
    if (target->line[0] != 'H' || !get_hex(&at, 2, &version) || !get_hex(&at, 8, &stamp) ||
        !get_hex(&at, 8, &ticks_per_us))
        return fail(target, "it does not keep step: build it with yarnswift_image, or call ys_step_begin");
    if (version != 1)
        return fail(target, "it was built with another version of yarnswift: build it again");
    if (is_connected(target) && stamp != target->stamp)
        return fail(target,
                    "its firmware was built for another definition: build it again, or name the definition that it "
                    "was built for");
    target->ticks_per_us =
        is_connected(target) ? 0 : (uint32_t)ticks_per_us; /* of an emulator it counts instructions */
    target->greeted = true;
    return true;
}

static void forget_inputs(struct ys_target *target)
{
    for (size_t i = 0; i < target->input_count; i++)
        free(target->inputs[i]);
    target->input_count = 0;
}

/* Whether it can be shown. */
static bool is_plain(const char *text)
{
    for (size_t left = strlen(text); left > 0;) {
        size_t length = ys_utf8_plain(text, left);
        if (length == 0)
            return false;
        text += length;
        left -= length;
    }
    return true;
}

/* The names of its inputs; they must be the same after each reset, since callers keep them. */
static bool take_inputs(struct ys_target *target)
{
    size_t count = 0;
    while (next_line(target)) {
        if (target->line[0] == 'B')
            return true;
        if (target->line[0] != 'I' || count == INPUTS_MOST)
            return fail(target, "it says what it should not: \"%.60s\"", target->line);
        if (!is_plain(target->line + 1))
            return fail(target, "the name of an input is no text");
        if (count == target->input_count)
            target->inputs[target->input_count++] = strdup(target->line + 1);
        const char *before = target->inputs[count++];
        if (before == NULL || strcmp(before, target->line + 1) != 0)
            return fail(target, "its inputs are others after a reset: \"%.60s\"", target->line + 1);
    }
    return false;
}

static bool send_text(struct ys_target *target, const char *text, size_t length)
{
    return ys_emulator_send(target->emulator, YS_EMULATOR_STEP, text, length) || fail_gone(target);
}

/* What is not erased, piece by piece. */
static bool send_flash(struct ys_target *target)
{
    for (uint32_t at = 0; at < target->flash_end; at += BYTES_A_LINE) {
        char line[16 + 2 * BYTES_A_LINE];
        size_t used = (size_t)snprintf(line, sizeof line, "D%08" PRIx32, at);
        bool erased = true;
        for (uint32_t i = at; i < at + BYTES_A_LINE; i++) {
            erased &= target->flash[i] == 0xff;
            used += (size_t)snprintf(line + used, sizeof line - used, "%02x", target->flash[i]);
        }
        line[used++] = '\n';
        if (!erased && !send_text(target, line, used))
            return false;
    }
    return true;
}

/* How many ticks of its counter make a thousand instructions. */
static bool send_rate(struct ys_target *target)
{
    char line[16];
    int length = snprintf(line, sizeof line, "N%08" PRIx32 "\n", target->ticks_per_us * YS_EMULATOR_NS);
    return send_text(target, line, (size_t)length);
}

/* Tells it the time, and what it will have got by then. */
static bool send_time(struct ys_target *target, uint64_t now_us)
{
    char line[64];
    int length = snprintf(line, sizeof line, "T%016" PRIx64 "\n", now_us);
    if (!send_text(target, line, (size_t)length) || !send_text(target, target->input_lines, target->input_length))
        return false;
    target->input_length = 0;
    length = snprintf(line, sizeof line, "W%08" PRIx32 "\n", target->given);
    target->begun = true;
    return send_text(target, line, (size_t)length);
}

static void nothing(void *context)
{
    (void)context;
}

static void line_fault(void *context, enum ys_serial_fault fault, uint32_t number)
{
    struct ys_target *target = context;
    (void)fail(target, "what it sends to its controller is no HCI: %s %u", ys_serial_fault_text(fault),
               (unsigned)number);
}

static void begin_lines(struct ys_target *target)
{
    target->buffer_at = 0;
    target->buffer_end = 0;
    target->sent = 0;
    target->given = 0;
    target->input_length = 0;
    target->serial_settings = (struct ys_serial_settings){.in = target->in,
                                                          .in_size = sizeof target->in,
                                                          .out = target->out,
                                                          .out_size = sizeof target->out,
                                                          .packet = target->packet,
                                                          .packet_size = sizeof target->packet,
                                                          .controller = true,
                                                          .context = target,
                                                          .begin = nothing,
                                                          .fault = line_fault};
    (void)ys_serial_init(&target->serial, &target->serial_settings);
}

/* To the target at two lines: "HCI,STEP", or "HCI,STEP,RATE". */
static struct ys_emulator *connect_lines(struct ys_target *target)
{
    char words[1000];
    (void)snprintf(words, sizeof words, "%s", target->path + strlen(YS_TARGET_LINES));
    char *step = strchr(words, ',');
    char *rate = step != NULL ? strchr(step + 1, ',') : NULL;
    if (step == NULL) {
        (void)fail(target, "it needs two lines: " YS_TARGET_LINES "HCI,STEP or " YS_TARGET_LINES "HCI,STEP,RATE");
        return NULL;
    }
    *step++ = '\0';
    if (rate != NULL)
        *rate++ = '\0';
    return ys_emulator_connect(words, step, rate != NULL ? (uint32_t)strtoul(rate, NULL, 10) : 0, target->problem,
                               sizeof target->problem);
}

bool ys_target_reset(struct ys_target *target, uint64_t now_us)
{
    if (is_connected(target) && target->was_open)
        return fail(target, "a board is not switched off and on from here: leave power out of the scene");
    ys_target_stop(target);
    target->problem[0] = '\0';
    target->greeted = false;
    target->was_open = true;
    begin_lines(target);
    if (is_connected(target))
        target->emulator = connect_lines(target);
    else
        target->emulator =
            ys_emulator_start(target->note.machine, target->path, target->problem, sizeof target->problem);
    return target->emulator != NULL && take_hello(target) && take_inputs(target) && send_flash(target) &&
           send_rate(target) && send_time(target, now_us);
}

void ys_target_stop(struct ys_target *target)
{
    ys_emulator_end(target->emulator);
    target->emulator = NULL;
}

/* What its file says of it. */
static bool read_file(struct ys_target *target, char *problem, size_t size)
{
    target->elf = ys_elf_open(target->path, problem, size);
    if (target->elf == NULL || !ys_note_read(target->elf, &target->note, problem, size))
        return false;
    const char *why = target->note.stamp != target->stamp
                          ? "it was built for another definition: build it again, or name the definition that it was "
                            "built for"
                      : target->note.machine[0] == '\0'
                          ? "it was built for a board, and no emulator has that: build it with yarnswift_image without "
                            "BOARD, or connect the board: " YS_TARGET_LINES "HCI,STEP"
                          : NULL;
    if (why != NULL)
        (void)snprintf(problem, size, "%s", why);
    return why == NULL;
}

struct ys_target *ys_target_open(const char *path, uint32_t stamp, const struct ys_target_calls *calls, void *context,
                                 char *problem, size_t size)
{
    struct ys_target *target = calloc(1, sizeof *target);
    bool good = target != NULL;
    (void)snprintf(problem, size, "there is no memory for it");
    if (good) {
        target->calls = calls;
        target->context = context;
        target->stamp = stamp;
        target->path = strdup(path);
        target->flash = malloc(FLASH_MOST + BYTES_A_LINE);
        good = target->path != NULL && target->flash != NULL;
    }
    if (good)
        memset(target->flash, 0xff, FLASH_MOST + BYTES_A_LINE);
    good = good && (strncmp(path, YS_TARGET_LINES, strlen(YS_TARGET_LINES)) == 0 || read_file(target, problem, size));
    if (good && !ys_target_reset(target, 0)) {
        (void)snprintf(problem, size, "%s", target->problem);
        good = false;
    }
    if (good)
        return target;
    ys_target_close(target);
    return NULL;
}

void ys_target_close(struct ys_target *target)
{
    if (target == NULL)
        return;
    ys_target_stop(target);
    forget_inputs(target);
    ys_elf_free(target->elf);
    free(target->input_lines);
    free(target->flash);
    free(target->path);
    free(target);
}

const char *ys_target_input(const struct ys_target *target, size_t i)
{
    return i < target->input_count ? target->inputs[i] : NULL;
}

/* working */

void ys_target_set(struct ys_target *target, size_t input, int64_t value)
{
    char line[32];
    int length = snprintf(line, sizeof line, "V%02x%016" PRIx64 "\n", (unsigned)input, (uint64_t)value);
    char *grown = realloc(target->input_lines, target->input_length + (size_t)length);
    if (grown == NULL) {
        (void)fail(target, "there is no memory for its inputs");
        return;
    }
    memcpy(grown + target->input_length, line, (size_t)length);
    target->input_lines = grown;
    target->input_length += (size_t)length;
}

void ys_target_give(struct ys_target *target, const uint8_t *packet, size_t length)
{
    target->given += (uint32_t)length;
    if (target->emulator != NULL && !ys_emulator_send(target->emulator, YS_EMULATOR_HCI, packet, length))
        (void)fail_gone(target);
}

/* Reads what it has sent to its controller until it went to sleep. */
static bool take_packets(struct ys_target *target, uint32_t sent)
{
    uint8_t bytes[4096];
    while (target->sent != sent) {
        const uint8_t *packet;
        size_t length;
        uint32_t left = sent - target->sent;
        long got = ys_emulator_receive(target->emulator, YS_EMULATOR_HCI, bytes,
                                       left < sizeof bytes ? left : sizeof bytes, SILENT_MS);
        if (got <= 0)
            return got < 0 ? fail_gone(target) : fail(target, "it has sent less to its controller than it says");
        target->sent += (uint32_t)got;
        (void)ys_serial_put(&target->serial, bytes, (uint32_t)got);
        while ((packet = ys_serial_receive(&target->serial, &length)) != NULL)
            target->calls->packet(target->context, packet, length);
        if (target->problem[0] != '\0')
            return false;
    }
    return true;
}

bool ys_target_turn(struct ys_target *target, uint64_t now_us, uint64_t *until_us)
{
    uint64_t sent;
    const char *at = target->line + 1;
    if (target->problem[0] != '\0' || target->emulator == NULL)
        return false;
    if (!target->begun && !send_time(target, now_us))
        return false;
    target->begun = false;
    target->wakes++;
    if (!take_until(target, 'S'))
        return false;
    if (!get_hex(&at, 16, until_us) || !get_hex(&at, 8, &sent))
        return fail(target, "it says what it should not: \"%.60s\"", target->line);
    return take_packets(target, (uint32_t)sent);
}

const char *ys_target_problem(const struct ys_target *target)
{
    return target->problem;
}

/* reports */

bool ys_target_report(struct ys_target *target)
{
    target->count_count = 0;
    return target->emulator != NULL && target->problem[0] == '\0' && send_text(target, "Q\n", 2) &&
           take_until(target, 'Q');
}

bool ys_target_count(const struct ys_target *target, size_t i, struct ys_target_count *count)
{
    bool there = i < target->count_count && !is_connected(target); /* a board counts ticks, and no instructions */
    if (there)
        *count = target->counts[i];
    return there;
}

uint32_t ys_target_stack(const struct ys_target *target)
{
    return target->stack_deepest;
}

uint64_t ys_target_wakes(const struct ys_target *target)
{
    return target->wakes;
}

static uint32_t between(const struct ys_elf *elf, const char *begin, const char *end)
{
    uint32_t from;
    uint32_t to;
    return ys_elf_symbol(elf, begin, &from) && ys_elf_symbol(elf, end, &to) && to >= from ? to - from : 0;
}

void ys_target_sizes(const struct ys_target *target, struct ys_target_sizes *sizes)
{
    const struct ys_elf *elf = target->elf;
    *sizes = (struct ys_target_sizes){.stack = target->stack_size};
    if (is_connected(target))
        return;
    uint32_t data = ys_elf_section_size(elf, ".data");
    *sizes = (struct ys_target_sizes){
        .flash = ys_elf_section_size(elf, ".text") + ys_elf_section_size(elf, ".ARM.exidx") + data,
        .flash_host = between(elf, "_host_code_begin", "_host_code_end"),
        .flash_port = between(elf, "_port_code_begin", "_port_code_end"),
        .flash_table = between(elf, "_table_code_begin", "_table_code_end"),
        .ram = data + ys_elf_section_size(elf, ".bss"),
        .ram_host = between(elf, "_host_ram_begin", "_host_ram_end"),
        .ram_port = between(elf, "_port_ram_begin", "_port_ram_end"),
        .stack = ys_elf_section_size(elf, ".stack"),
    };
}
