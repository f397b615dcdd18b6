/* The step line, from both sides: whatever a target says, a workstation ends it with words; whatever a workstation
 * says, firmware goes on. No emulator is started: this file has its functions. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include <yarnswift/step.h>

#include "emulated/emulator.h"
#include "emulated/target.h"
#include "support/image_file.h"
#include "torque_wrench_config.h"
#include "torque_wrench_table.h"

int LLVMFuzzerInitialize(int *argc, char ***argv);
int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

static const uint8_t *left[2]; /* of each line */
static size_t left_length[2];

/* the emulator */

struct ys_emulator {
    int unused;
};

static struct ys_emulator only;

struct ys_emulator *ys_emulator_start(const char *machine, const char *path, char *problem, size_t size)
{
    (void)machine;
    (void)path;
    (void)problem;
    (void)size;
    return &only;
}

struct ys_emulator *ys_emulator_connect(const char *hci, const char *step, uint32_t bps, char *problem, size_t size)
{
    (void)bps;
    return ys_emulator_start(hci, step, problem, size);
}

void ys_emulator_end(struct ys_emulator *emulator)
{
    (void)emulator;
}

bool ys_emulator_send(struct ys_emulator *emulator, enum ys_emulator_line line, const void *bytes, size_t length)
{
    const char *text = bytes;
    (void)emulator;
    for (size_t i = 0; line == YS_EMULATOR_STEP && i < length; i++) {
        if (text[i] != '\n' && (text[i] < ' ' || text[i] > '~'))
            abort();
    }
    return true;
}

long ys_emulator_receive(struct ys_emulator *emulator, enum ys_emulator_line line, void *bytes, size_t size,
                         int timeout_ms)
{
    size_t length = left_length[line] < size ? left_length[line] : size;
    (void)emulator;
    (void)timeout_ms;
    memcpy(bytes, left[line], length);
    left[line] += length;
    left_length[line] -= length;
    return length > 0 ? (long)length : -1;
}

void ys_emulator_why(struct ys_emulator *emulator, char *text, size_t size)
{
    (void)emulator;
    (void)snprintf(text, size, "there is no more");
}

/* the workstation's side */

static void packet(void *context, const uint8_t *bytes, size_t length)
{
    (void)context;
    if (length == 0 || bytes[0] > 5)
        abort();
}

static void event(void *context, const struct ys_step_event *said)
{
    (void)context;
    if (said->event.kind > YS_EVENT_CHANNEL_CLOSED)
        abort();
}

static void log_line(void *context, const char *text, uint32_t value)
{
    (void)context;
    (void)value;
    if (strlen(text) > 1000)
        abort();
}

static const struct ys_target_calls calls = {.packet = packet, .event = event, .log = log_line};
static char path[] = "/tmp/fuzz_steps_XXXXXX";

static void remove_image(void)
{
    (void)unlink(path);
}

int LLVMFuzzerInitialize(int *argc, char ***argv)
{
    static struct image_file image;
    (void)argc;
    (void)argv;
    image_file_make(&image, "any", YS_TABLE_STAMP);
    int file = mkstemp(path);
    if (file < 0 || write(file, image.bytes, image.length) != (ssize_t)image.length)
        abort();
    (void)close(file);
    (void)atexit(remove_image);
    return 0;
}

static void play_target(const uint8_t *data, size_t size)
{
    char problem[900] = "";
    uint64_t now_us = 0;
    uint64_t until_us = 0;
    size_t hci = size > 0 ? data[0] % size : 0; /* so much of it is on the other line */
    left[YS_EMULATOR_HCI] = data;
    left_length[YS_EMULATOR_HCI] = hci;
    left[YS_EMULATOR_STEP] = data + hci;
    left_length[YS_EMULATOR_STEP] = size - hci;
    const char *which = size % 2 == 0 ? path : YS_TARGET_LINES "hci,step"; /* a file, or a board */
    struct ys_target *target = ys_target_open(which, YS_TABLE_STAMP, &calls, NULL, problem, sizeof problem);
    if (target == NULL) {
        if (problem[0] == '\0')
            abort();
        return;
    }
    while (ys_target_turn(target, now_us, &until_us)) {
        struct ys_target_count count;
        now_us += 1000;
        ys_target_set(target, 0, -1);
        ys_target_give(target, (const uint8_t *)"\4\16\0", 3);
        if (now_us % 5000 == 0 && ys_target_report(target))
            (void)ys_target_count(target, 0, &count);
        if (now_us % 7000 == 0 && !ys_target_reset(target, now_us))
            break;
    }
    if (ys_target_problem(target)[0] == '\0')
        abort();
    ys_target_close(target);
}

/* the firmware's side */

static void put(void *context, uint8_t byte)
{
    (void)context;
    if (byte != '\n' && (byte < ' ' || byte == 0x7f))
        abort();
}

static int get(void *context, bool forever)
{
    (void)context;
    (void)forever;
    if (left_length[0] == 0)
        return -1;
    left_length[0]--;
    return *left[0]++;
}

static uint32_t sent(void *context)
{
    (void)context;
    return 0;
}

static bool await(void *context, uint32_t count)
{
    (void)context;
    return count < 1000;
}

static void flash(void *context, uint32_t offset, const uint8_t *bytes, size_t length)
{
    volatile uint8_t last = length > 0 ? bytes[length - 1] : 0;
    (void)context;
    (void)offset;
    (void)last;
}

static void set(void *context, int64_t value)
{
    (void)context;
    (void)value;
}

static void interrupt(void *context)
{
    (void)context;
}

static void play_firmware(const uint8_t *data, size_t size)
{
    static const struct ys_input inputs[] = {{"trigger", set, true}, {"battery level", set, false}};
    static const struct ys_firmware firmware = {.table = &torque_wrench_table,
                                                .inputs = inputs,
                                                .input_count = 2,
                                                .interrupt = interrupt,
                                                .interrupt_every_us = 1000};
    static uint8_t memory[8192];
    static const struct ys_step_settings settings = {.firmware = &firmware,
                                                     .put = put,
                                                     .get = get,
                                                     .sent = sent,
                                                     .await = await,
                                                     .flash = flash,
                                                     .memory = memory,
                                                     .memory_size = sizeof memory};
    static struct ys_step step;
    static struct ys_host host;
    left[0] = data;
    left_length[0] = size;
    if (!ys_step_begin(&step, &settings))
        return;
    (void)ys_step_watch(&step, &host);
    for (int i = 0; i < 20 && left_length[0] > 0; i++)
        ys_step_sleep(&step, i % 3 == 0 ? YS_FOREVER : 10);
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    if (size == 0)
        return 0;
    if (data[0] % 2 == 0)
        play_target(data + 1, size - 1);
    else
        play_firmware(data + 1, size - 1);
    return 0;
}
