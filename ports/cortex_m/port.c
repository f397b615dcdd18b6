/* A port for a bare Cortex-M over a board: HCI over a serial line with interrupts, a clock from a counter that runs
 * freely, critical sections that restore, a store in flash, AES by the processor, random numbers and the curve by the
 * controller, and a sleep that ends when there is something to do. */
#include "cortex_m/port.h"

#include <string.h>

#include <yarnswift/controller.h>
#include <yarnswift/serial.h>

#include "cortex_m/board.h"
#include "cortex_m/start.h"
#include "parts/aes.h"
#include "parts/flash_store.h"

/* Of the controller's buffers: 8 packets of 251 bytes each way. */
#ifndef PORT_PACKETS
#define PORT_PACKETS 8
#endif
#ifndef PORT_PACKET_LENGTH
#define PORT_PACKET_LENGTH 251
#endif

/* 0: it never keeps step with a workstation, and takes some kilobytes less. */
#ifndef PORT_STEP
#define PORT_STEP 1
#endif

/* 0: the controller computes AES too (<yarnswift/borrow.h>), and what comes while it does is kept in memory for so many
 * packets. */
#ifndef PORT_AES
#define PORT_AES 1
#endif
#ifndef PORT_AES_PACKETS
#define PORT_AES_PACKETS 4
#endif

#define ALARM_MOST UINT32_C(0x7fffffff) /* ticks: half of what the counter holds */

static struct ys_serial line;
static uint8_t line_in[YS_SERIAL_SIZE(PORT_PACKETS, PORT_PACKET_LENGTH)];
static uint8_t line_out[YS_SERIAL_SIZE(PORT_PACKETS, PORT_PACKET_LENGTH)];
static uint8_t line_packet[PORT_PACKET_LENGTH + 7 > 258 ? PORT_PACKET_LENGTH + 7 : 258];
static volatile uint32_t line_sent;     /* bytes; wraps */
static volatile uint32_t line_received; /* the same */
static volatile bool line_sends;        /* there may be something to be sent */
static struct ys_flash flash;
static struct ys_flash_store store;
static struct ys_commands commands;
static struct ys_controller_facts facts;
static struct ys_borrowed borrowed;
static struct ys_step step;
#if PORT_STEP
static bool in_step;
#else
#define in_step false
#endif
static volatile bool woken;
static uint32_t masked; /* whether interrupts were off before a critical section */
static const struct ys_firmware *the_firmware;
static uint64_t ticks; /* of the counter, without end; also: */
static uint32_t counted;
static uint64_t interrupt_at; /* the firmware's timer interrupt, in ticks */
static uint64_t wake_at;      /* the main loop's, the same */

/* critical sections */

static uint32_t interrupts_off(void)
{
    uint32_t before;
    __asm volatile("mrs %0, primask\ncpsid i" : "=r"(before)::"memory");
    return before;
}

static void interrupts_restore(uint32_t before)
{
    __asm volatile("msr primask, %0" ::"r"(before) : "memory");
}

static void enter_critical(void *context)
{
    (void)context;
    uint32_t before = interrupts_off(); /* only then is it this section's to write */
    masked = before;
}

static void leave_critical(void *context)
{
    (void)context;
    interrupts_restore(masked);
}

/* the clock */

static uint64_t now_ticks(void)
{
    uint32_t before = interrupts_off();
    uint32_t now = board_ticks();
    ticks += now - counted;
    counted = now;
    uint64_t all = ticks;
    interrupts_restore(before);
    return all;
}

static uint64_t now_in_us(void)
{
    return in_step ? ys_step_now_us(&step) : now_ticks() / board_ticks_per_us;
}

static uint32_t now_ms(void *context)
{
    (void)context;
    return (uint32_t)(now_in_us() / 1000);
}

static uint32_t now_us(void *context)
{
    (void)context;
    return (uint32_t)now_in_us();
}

/* The alarm for whatever is next. With interrupts off. */
static void set_alarm(void)
{
    if (in_step) /* the workstation wakes it */
        return;
    uint64_t now = now_ticks();
    uint64_t next = interrupt_at < wake_at ? interrupt_at : wake_at;
    uint64_t left = next > now ? next - now : 1;
    board_alarm((uint32_t)(left < ALARM_MOST ? left : ALARM_MOST)); /* at the latest before the counter has wrapped */
}

void port_alarm_interrupt(void)
{
    uint64_t now = now_ticks();
    if (now >= interrupt_at) {
        interrupt_at += (uint64_t)the_firmware->interrupt_every_us * board_ticks_per_us;
        the_firmware->interrupt(the_firmware->context);
    }
    if (now >= wake_at) {
        wake_at = UINT64_MAX;
        woken = true;
    }
    set_alarm();
}

/* the line to the controller */

void port_line_interrupt(void)
{
    uint8_t byte;
    while (board_line_get(&byte)) {
        (void)ys_serial_put(&line, &byte, 1);
        line_received++;
        woken = true;
    }
    static bool held; /* a byte for which there was no room */
    static uint8_t kept;
    while (line_sends) {
        if (!held && ys_serial_take(&line, &kept, 1) == 0) {
            line_sends = false;
            board_line_room(false);
            return;
        }
        held = !board_line_put(kept);
        if (held)
            return;
        line_sent++;
    }
}

static void line_goes(void)
{
    uint32_t before = interrupts_off();
    line_sends = true;
    board_line_room(true);
    interrupts_restore(before);
}

static void line_begins(void *context)
{
    (void)context;
    if (in_step) /* it goes when the work is done: its interrupts would be counted now here, now there */
        line_sends = true;
    else
        line_goes();
}

/* The transmit ring is full; it drains as bytes are sent. */
static bool line_waits(void *context)
{
    uint32_t began = board_ticks();
    uint32_t sent = line_sent;
    (void)context;
    if (in_step)
        line_goes();
    while (line_sent == sent && board_ticks() - began < 1000000 * board_ticks_per_us) {
    }
    return line_sent != sent;
}

static void print(const char *text)
{
    for (; *text != '\0'; text++)
        board_text_put((uint8_t)*text);
}

static void print_line(const char *text, uint32_t value)
{
    char digits[12];
    size_t at = sizeof digits;
    digits[--at] = '\0';
    do {
        digits[--at] = (char)('0' + value % 10);
        value /= 10;
    } while (value > 0);
    print(text);
    print(" ");
    print(digits + at);
    print("\r\n");
}

static void log_line(void *context, const char *text, uint32_t value)
{
    (void)context;
    if (in_step)
        ys_step_log(&step, text, value);
    else
        print_line(text, value);
}

static void line_fault(void *context, enum ys_serial_fault fault, uint32_t number)
{
    log_line(context, ys_serial_fault_text(fault), number);
}

static const struct ys_serial_settings line_settings = {
    .in = line_in,
    .in_size = sizeof line_in,
    .out = line_out,
    .out_size = sizeof line_out,
    .packet = line_packet,
    .packet_size = sizeof line_packet,
    .begin = line_begins,
    .wait = line_waits,
    .now_ms = now_ms,
    .fault = line_fault,
};

static void send(void *context, const uint8_t *packet, size_t length)
{
    (void)context;
    ys_serial_send(&line, packet, length);
}

static const uint8_t *line_receives(void *context, size_t *length)
{
    (void)context;
    return ys_serial_receive(&line, length);
}

/* the store: the board's flash, of which a workstation is told */

static bool flash_erase(void *context, unsigned page)
{
    (void)context;
    bool good = board_flash.erase(board_flash.context, page);
    if (in_step)
        ys_step_flash(&step, page * flash.page_size, NULL, flash.page_size);
    return good;
}

static bool flash_program(void *context, unsigned page, uint32_t offset, const void *bytes, uint32_t length)
{
    (void)context;
    bool good = board_flash.program(board_flash.context, page, offset, bytes, length);
    if (in_step)
        ys_step_flash(&step, page * flash.page_size + offset, bytes, length);
    return good;
}

static void flash_read(void *context, unsigned page, uint32_t offset, void *bytes, uint32_t length)
{
    (void)context;
    board_flash.read(board_flash.context, page, offset, bytes, length);
}

static bool store_put(void *context, uint16_t key, const void *bytes, size_t length)
{
    (void)context;
    return ys_flash_store_put(&store, key, bytes, length);
}

static size_t store_get(void *context, uint16_t key, void *bytes, size_t size)
{
    (void)context;
    return ys_flash_store_get(&store, key, bytes, size);
}

static void store_delete(void *context, uint16_t key)
{
    (void)context;
    ys_flash_store_delete(&store, key);
}

/* crypto */

#if PORT_AES

static bool encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    ys_aes_encrypt(key, plain, cipher);
    return true;
}

static const uint8_t *receive(void *context, size_t *length)
{
    return line_receives(context, length);
}

#else

static const struct ys_port aes_line = {.send = send, .receive = line_receives, .now_ms = now_ms};
static uint8_t aes_memory[YS_BORROW_AES_SIZE(PORT_AES_PACKETS, PORT_PACKET_LENGTH)];

/* The line's interrupts go on; a workstation that it keeps step with has to let time pass. */
static bool aes_waits(void *context)
{
    (void)context;
    if (in_step)
        ys_step_wait(&step, 1);
    return true;
}

static struct ys_borrowed_aes borrowed_aes = {.line = &aes_line,
                                              .memory = aes_memory,
                                              .size = sizeof aes_memory,
                                              .longest = YS_BORROW_AES_LONGEST(PORT_PACKET_LENGTH),
                                              .wait = aes_waits};

static bool encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    return ys_borrow_aes_encrypt(&borrowed_aes, key, plain, cipher);
}

static const uint8_t *receive(void *context, size_t *length)
{
    (void)context;
    return ys_borrow_aes_receive(&borrowed_aes, length);
}

#endif

static bool draw(void *context, void *bytes, size_t length)
{
    (void)context;
    return ys_borrow_random(&borrowed, bytes, length);
}

static bool curve_key(void *context)
{
    (void)context;
    return ys_borrow_curve_key(&borrowed);
}

static bool curve_secret(void *context, const uint8_t *peer)
{
    (void)context;
    return ys_borrow_curve_secret(&borrowed, peer);
}

static enum ys_curve curve_result(void *context, uint8_t *result)
{
    (void)context;
    return ys_borrow_curve_result(&borrowed, result);
}

static void wake(void *context)
{
    (void)context;
    woken = true;
}

static bool in_interrupt(void *context)
{
    (void)context;
    return start_in_interrupt();
}

const struct ys_port port = {
    .send = send,
    .receive = receive,
    .now_ms = now_ms,
    .now_us = now_us,
    .random = draw,
    .enter_critical = enter_critical,
    .leave_critical = leave_critical,
    .wake = wake,
    .in_interrupt = in_interrupt,
    .store_put = store_put,
    .store_get = store_get,
    .store_delete = store_delete,
    .encrypt = encrypt,
    .curve_key = curve_key,
    .curve_secret = curve_secret,
    .curve_result = curve_result,
    .log = log_line,
};

/* keeping step */

static void step_put(void *context, uint8_t byte)
{
    (void)context;
    board_text_put(byte);
}

static int step_get(void *context, bool forever)
{
    uint8_t byte;
    uint32_t began = board_ticks();
    uint32_t most = 100000 * board_ticks_per_us;
    (void)context;
    while (!board_text_get(&byte)) {
        uint32_t left = most - (board_ticks() - began);
        if (!forever && left > most)
            return -1;
        uint32_t before = interrupts_off();
        if (!forever)
            board_alarm(left);
        bool there = board_text_get(&byte); /* since it was asked last, and the interrupt is over */
        if (!there)
            board_sleep();
        interrupts_restore(before);
        if (there)
            break;
    }
    return byte;
}

static uint32_t step_sent(void *context)
{
    (void)context;
    if (line_sends)
        line_goes();
    while (line_sends) {
    }
    return line_sent;
}

static bool step_await(void *context, uint32_t count)
{
    (void)context;
    /* without an alarm, which would come in the middle of something else */
    while ((int32_t)(line_received - count) < 0) {
        uint32_t before = interrupts_off();
        if (line_received != count)
            board_sleep();
        interrupts_restore(before);
    }
    return line_received == count;
}

static void step_interrupt(void *context, void (*call)(void *argument), void *argument)
{
    (void)context;
    start_interrupt(call, argument);
}

static void step_flash(void *context, uint32_t offset, const uint8_t *bytes, size_t length)
{
    (void)context;
    if (board_flash.page_size > 0 && offset < 2 * board_flash.page_size && length <= board_flash.page_size)
        (void)board_flash.program(board_flash.context, offset / board_flash.page_size, offset % board_flash.page_size,
                                  bytes, (uint32_t)length);
}

static uint32_t step_ticks(void *context)
{
    (void)context;
    return board_ticks();
}

static uint32_t step_stack(void *context, uint32_t *size)
{
    (void)context;
    return start_stack_deepest(size);
}

extern uint8_t _free_begin[], _free_end[];

static struct ys_step_settings step_settings = {
    .put = step_put,
    .get = step_get,
    .sent = step_sent,
    .await = step_await,
    .interrupt = step_interrupt,
    .flash = step_flash,
    .ticks = step_ticks,
    .stack = step_stack,
    .memory = _free_begin,
};

/* the calls */

void port_begin(const struct ys_firmware *firmware, uint32_t stamp)
{
    the_firmware = firmware;
    board_start();
    (void)ys_serial_init(&line, &line_settings);
    interrupt_at = UINT64_MAX;
    wake_at = UINT64_MAX;
    interrupts_restore(0);
    if (board_machine[0] != '\0' && board_flash.page_size > 0) { /* the emulator's flash has forgotten all */
        (void)board_flash.erase(board_flash.context, 0);
        (void)board_flash.erase(board_flash.context, 1);
    }
    step_settings.firmware = firmware;
    step_settings.stamp = stamp;
    step_settings.ticks_per_us = board_ticks_per_us;
    step_settings.memory_size = (size_t)((uintptr_t)_free_end - (uintptr_t)_free_begin);
#if PORT_STEP
    in_step = ys_step_begin(&step, &step_settings);
    if (in_step)
        board_alarm(0); /* which has ended the wait for an answer */
#endif
    if (!in_step && firmware->interrupt != NULL) {
        interrupt_at = now_ticks() + (uint64_t)firmware->interrupt_every_us * board_ticks_per_us;
        uint32_t before = interrupts_off();
        set_alarm();
        interrupts_restore(before);
    }
    flash = board_flash;
    flash.erase = flash_erase;
    flash.program = flash_program;
    flash.read = flash_read;
    (void)ys_flash_store_open(&store, &flash);
    ys_borrow_init(&borrowed, encrypt, NULL);
}

void port_use(struct ys_host *host)
{
    ys_host_use_commands(host, &commands);
    uint8_t needs = host->table->key_size > 0 ? YS_BORROW_NEEDS : 2; /* it draws an address in any case */
    ys_controller_read(&commands, &facts, ys_borrow_needs + PORT_AES, (uint8_t)(needs - PORT_AES));
    ys_borrow_use(host, &commands, &borrowed);
#if !PORT_AES
    ys_borrow_aes_use(host, &borrowed_aes);
#endif
}

const struct ys_table *port_table(struct ys_host *host, const struct ys_table *table)
{
    return in_step ? ys_step_watch(&step, host) : table;
}

static uint32_t event_began;

void port_event(struct ys_host *host, const struct ys_event *event)
{
    if (in_step) {
        ys_step_event(&step, host, event);
        event_began = ys_step_ticks(&step);
    } else if (event->kind == YS_EVENT_START_FAILED || event->kind == YS_EVENT_CONTROLLER_FAILED) {
        print("failed at ");
        print_line(event->u.start.step, event->u.start.status);
    }
}

void port_event_done(const struct ys_event *event)
{
    if (in_step)
        ys_step_count(&step, 'e', (uint16_t)event->kind, event_began);
}

void port_sleep(uint32_t wait_ms)
{
    if (in_step) {
        ys_step_sleep(&step, wait_ms);
        return;
    }
    wait_ms = ys_serial_wait_ms(&line, wait_ms);
    uint32_t before = interrupts_off();
    if (!woken && wait_ms > 0) {
        wake_at = wait_ms == YS_FOREVER ? UINT64_MAX : now_ticks() + (uint64_t)wait_ms * 1000 * board_ticks_per_us;
        set_alarm();
        board_sleep();
    }
    interrupts_restore(before); /* what has ended the sleep comes now, */
    woken = false;              /* and is looked at in the turn that follows */
}

void port_panic(const char *text)
{
    log_line(NULL, text, 0);
    board_stop();
}

void port_fault(const uint32_t registers[17], uint32_t why)
{
    if (in_step)
        ys_step_fault(&step, registers, why);
    else
        log_line(NULL, "the processor has failed at", registers[15]);
    board_stop();
    for (;;) {
    }
}
