/* Firmware's side of the step line. Each message is a line of text, whose first letter says what it is. */
#include <yarnswift/step.h>

#include "step/step_event.h"

#define LINE_MOST 160 /* of what comes from the workstation */
#define TRIES     5   /* to be answered, a tenth of a second each */

static void put_text(const struct ys_step *step, const char *text)
{
    for (; *text != '\0'; text++)
        step->settings->put(step->settings->context, (uint8_t)*text);
}

static void put_hex(const struct ys_step *step, uint64_t number, int digits)
{
    while (digits-- > 0)
        step->settings->put(step->settings->context, (uint8_t) "0123456789abcdef"[number >> (4 * digits) & 0xf]);
}

static void put_end(const struct ys_step *step)
{
    step->settings->put(step->settings->context, '\n');
}

/* Text of whatever kind, as what can be printed of it. */
static void put_plain(const struct ys_step *step, const char *text)
{
    for (; *text != '\0'; text++) {
        if ((uint8_t)*text >= 0x20 && *text != 0x7f)
            step->settings->put(step->settings->context, (uint8_t)*text);
    }
}

/* what comes */

/* Reads a line without its end; false: there is none. A line that is too long is truncated. */
static bool get_line(const struct ys_step *step, char *line, bool forever)
{
    size_t length = 0;
    int byte;
    while ((byte = step->settings->get(step->settings->context, forever)) >= 0 && byte != '\n') {
        if (length < LINE_MOST - 1)
            line[length++] = (char)byte;
    }
    line[length] = '\0';
    return byte >= 0;
}

static int digit_of(char character)
{
    return character >= '0' && character <= '9'   ? character - '0'
           : character >= 'a' && character <= 'f' ? character - 'a' + 10
                                                  : -1;
}

/* The next number of so many digits. */
static uint64_t get_hex(const char **at, int digits)
{
    uint64_t number = 0;
    for (; digits > 0 && digit_of(**at) >= 0; digits--)
        number = number << 4 | (uint64_t)digit_of(*(*at)++);
    return number;
}

struct call {
    const struct ys_input *input;
    void *context;
    int64_t value;
};

static void call_input(void *argument)
{
    const struct call *call = argument;
    call->input->set(call->context, call->value);
}

static void call_in_interrupt(const struct ys_step *step, void (*call)(void *), void *argument)
{
    if (step->settings->interrupt != NULL)
        step->settings->interrupt(step->settings->context, call, argument);
    else
        call(argument);
}

/* An input of the main loop waits until the loop wakes; the loop may go to sleep again in between. */
static void call_loop_inputs(struct ys_step *step)
{
    uint8_t count = step->input_count;
    step->input_count = 0;
    for (uint8_t i = 0; i < count; i++)
        step->inputs[i].input->set(step->settings->firmware->context, step->inputs[i].value);
}

/* An input: number and value. */
static void take_input(struct ys_step *step, const char *at)
{
    const struct ys_firmware *firmware = step->settings->firmware;
    size_t number = (size_t)get_hex(&at, 2);
    if (firmware == NULL || number >= firmware->input_count)
        return;
    struct call call = {
        .input = &firmware->inputs[number], .context = firmware->context, .value = (int64_t)get_hex(&at, 16)};
    if (!call.input->in_loop) {
        call_in_interrupt(step, call_input, &call);
        return;
    }
    if (step->input_count == YS_STEP_INPUTS)
        call_loop_inputs(step);
    step->inputs[step->input_count].input = call.input;
    step->inputs[step->input_count++].value = call.value;
}

/* What the flash held: an offset, and bytes. */
static void take_flash(const struct ys_step *step, const char *at)
{
    uint8_t bytes[LINE_MOST / 2];
    size_t length = 0;
    uint32_t offset = (uint32_t)get_hex(&at, 8);
    while (digit_of(at[0]) >= 0 && digit_of(at[1]) >= 0)
        bytes[length++] = (uint8_t)get_hex(&at, 2);
    if (step->settings->flash != NULL)
        step->settings->flash(step->settings->context, offset, bytes, length);
}

static void put_counts(const struct ys_step *step)
{
    const struct ys_step_settings *settings = step->settings;
    for (size_t i = 0; i < step->count_most && step->counts[i].kind != 0; i++) {
        const struct ys_step_count *count = &step->counts[i];
        put_text(step, "C");
        settings->put(settings->context, count->kind);
        put_hex(step, count->number, 4);
        put_hex(step, count->calls, 8);
        put_hex(step, count->sum, 8);
        put_hex(step, count->most, 8);
        put_end(step);
    }
    if (settings->stack != NULL) {
        uint32_t size = 0;
        uint32_t deepest = settings->stack(settings->context, &size);
        put_text(step, "K");
        put_hex(step, deepest, 8);
        put_hex(step, size, 8);
        put_end(step);
    }
    put_text(step, "Q\n");
}

/* Reads lines until the one that ends the sleep; false: nothing arrived. */
static bool take_lines(struct ys_step *step, bool forever)
{
    char line[LINE_MOST];
    while (get_line(step, line, forever)) {
        const char *at = line + 1;
        switch (line[0]) {
        case 'D':
            take_flash(step, at);
            break;
        case 'N':
            step->ticks_per_1000 = (uint32_t)get_hex(&at, 8);
            break;
        case 'V':
            take_input(step, at);
            break;
        case 'Q':
            put_counts(step);
            break;
        case 'T':
            step->now_us = get_hex(&at, 16);
            break;
        case 'W':
            if (!step->settings->await(step->settings->context, (uint32_t)get_hex(&at, 8)))
                put_text(step, "O\n");
            return true;
        default:
            break;
        }
    }
    return false;
}

/* the calls */

static void put_hello(const struct ys_step *step)
{
    const struct ys_firmware *firmware = step->settings->firmware;
    put_text(step, "H01");
    put_hex(step, step->settings->stamp, 8);
    put_hex(step, step->settings->ticks_per_us, 8);
    put_end(step);
    for (size_t i = 0; firmware != NULL && i < firmware->input_count; i++) {
        put_text(step, "I");
        put_plain(step, firmware->inputs[i].name);
        put_end(step);
    }
    put_text(step, "B\n");
}

bool ys_step_begin(struct ys_step *step, const struct ys_step_settings *settings)
{
    *step = (struct ys_step){.settings = settings};
    put_hello(step);
    for (int i = 0; i < TRIES && !step->in_step; i++)
        step->in_step = take_lines(step, false);
    if (step->in_step && settings->firmware != NULL && settings->firmware->interrupt != NULL)
        step->interrupt_us = step->now_us + settings->firmware->interrupt_every_us;
    uint32_t began = ys_step_ticks(step);
    step->count_ticks = ys_step_ticks(step) - began;
    step->woken_ticks = ys_step_ticks(step);
    return step->in_step;
}

static bool has_interrupt(const struct ys_step *step)
{
    return step->settings->firmware != NULL && step->settings->firmware->interrupt != NULL;
}

/* Runs the timer interrupt, if it is due: once, like a pending hardware interrupt. */
static void interrupt(struct ys_step *step)
{
    const struct ys_firmware *firmware = step->settings->firmware;
    if (!has_interrupt(step) || step->now_us < step->interrupt_us)
        return;
    uint64_t every_us = firmware->interrupt_every_us;
    step->interrupt_us += ((step->now_us - step->interrupt_us) / every_us + 1) * every_us;
    uint32_t began = ys_step_ticks(step);
    call_in_interrupt(step, firmware->interrupt, firmware->context);
    ys_step_count(step, 'i', 0, began);
}

void ys_step_wait(struct ys_step *step, uint32_t wait_ms)
{
    uint64_t until_us = wait_ms == YS_FOREVER ? UINT64_MAX : step->now_us + (uint64_t)wait_ms * 1000;
    if (has_interrupt(step) && step->interrupt_us < until_us)
        until_us = step->interrupt_us;
    ys_step_count(step, 't', 0, step->woken_ticks);
    put_text(step, "S");
    put_hex(step, until_us, 16);
    put_hex(step, step->settings->sent(step->settings->context), 8);
    put_end(step);
    (void)take_lines(step, true);
    step->woken_ticks = ys_step_ticks(step);
    interrupt(step);
}

void ys_step_sleep(struct ys_step *step, uint32_t wait_ms)
{
    ys_step_wait(step, wait_ms);
    call_loop_inputs(step);
}

uint64_t ys_step_now_us(const struct ys_step *step)
{
    return step->now_us;
}

/* What the firmware tells is none of its work. */
static void told(struct ys_step *step, uint32_t began)
{
    step->woken_ticks += ys_step_ticks(step) - began;
}

void ys_step_log(struct ys_step *step, const char *text, uint32_t value)
{
    uint32_t began = ys_step_ticks(step);
    put_text(step, "L");
    put_hex(step, value, 8);
    put_plain(step, text);
    put_end(step);
    told(step, began);
}

static void put_bytes(const struct ys_step *step, const uint8_t *bytes, size_t length)
{
    for (size_t i = 0; i < length; i++)
        put_hex(step, bytes[i], 2);
}

void ys_step_event(struct ys_step *step, struct ys_host *host, const struct ys_event *event)
{
    uint8_t bytes[YS_STEP_EVENT_MOST];
    struct ys_writer writer = ys_writer_to(bytes, sizeof bytes);
    uint32_t began = ys_step_ticks(step);
    const struct ys_address own = ys_host_address(host);
    if (!ys_step_event_put(&writer, event, &own) || !ys_writer_ok(&writer))
        return;
    put_text(step, "E");
    put_bytes(step, bytes, ys_writer_stored(&writer));
    put_end(step);
    told(step, began);
}

void ys_step_flash(struct ys_step *step, uint32_t offset, const uint8_t *bytes, size_t length)
{
    uint32_t began = ys_step_ticks(step);
    put_text(step, bytes != NULL ? "P" : "R");
    put_hex(step, offset, 8);
    if (bytes != NULL)
        put_bytes(step, bytes, length);
    else
        put_hex(step, length, 8);
    put_end(step);
    told(step, began);
}

void ys_step_fault(struct ys_step *step, const uint32_t registers[17], uint32_t why)
{
    put_text(step, "F");
    for (int i = 0; i < 17; i++)
        put_hex(step, registers[i], 8);
    put_hex(step, why, 8);
    put_end(step);
}

uint32_t ys_step_ticks(const struct ys_step *step)
{
    return step->settings->ticks != NULL ? step->settings->ticks(step->settings->context) : 0;
}

void ys_step_count(struct ys_step *step, uint8_t kind, uint16_t number, uint32_t began)
{
    uint32_t ticks = ys_step_ticks(step) - began;
    ticks -= ticks < step->count_ticks ? ticks : step->count_ticks;
    uint32_t per_1000 = step->ticks_per_1000;
    uint32_t taken = per_1000 > 0 ? (uint32_t)(((uint64_t)ticks * 1000 + per_1000 / 2) / per_1000) : ticks;
    for (size_t i = 0; i < step->count_most; i++) {
        struct ys_step_count *count = &step->counts[i];
        if (count->kind != 0 && (count->kind != kind || count->number != number))
            continue;
        count->kind = kind;
        count->number = number;
        count->calls++;
        count->sum += taken;
        count->most = taken > count->most ? taken : count->most;
        return;
    }
}
