/* A board as an emulator has it: UARTs and timers of ARM's FPGA images for evaluation boards. On a board of your own
 * this file is the one to be written anew. Its flash is RAM, which the workstation keeps when it has no power. */
#include "cortex_m/board.h"

#include <string.h>

#if BOARD_SECURE
#define TIMERS    UINT32_C(0x50000000)
#define LINE      UINT32_C(0x50200000)
#define TEXT      UINT32_C(0x50201000)
#define LINE_IN   32
#define LINE_OUT  33
#define TEXT_IN   34
#define ALARM     4
#define TICKS_MHZ 20
#define VECTORS   48
#else
#define TIMERS    UINT32_C(0x40000000)
#define LINE      UINT32_C(0x40004000)
#define TEXT      UINT32_C(0x40005000)
#define LINE_IN   0
#define LINE_OUT  1
#define TEXT_IN   2
#define ALARM     9
#define TICKS_MHZ 25
#define VECTORS   16
#endif

/* A UART, and a timer that counts down. */
struct uart {
    volatile uint32_t data;
    volatile uint32_t state; /* 1: no room, 2: a byte has come */
    volatile uint32_t control;
    volatile uint32_t interrupts; /* 1: room, 2: a byte; cleared by writing */
    volatile uint32_t divider;
};

struct timer {
    volatile uint32_t control;
    volatile uint32_t value;
    volatile uint32_t reload;
    volatile uint32_t interrupts;
};

#define UART_AT(address)  ((struct uart *)(uintptr_t)(address))
#define TIMER_AT(address) ((struct timer *)(uintptr_t)(address))
#define COUNTER           TIMER_AT(TIMERS)
#define ALARM_TIMER       TIMER_AT(TIMERS + 0x1000)
#define ENABLE            ((volatile uint32_t *)UINT32_C(0xe000e100))

#define ROOM      1
#define BYTE      2
#define SEND      1
#define RECEIVE   2
#define TELL_ROOM 4
#define TELL_BYTE 8

const uint32_t board_ticks_per_us = TICKS_MHZ;
const char board_machine[BOARD_MACHINE_SIZE] = BOARD_MACHINE;

void board_start(void)
{
    COUNTER->reload = UINT32_MAX;
    COUNTER->value = UINT32_MAX;
    COUNTER->control = 1;
    UART_AT(LINE)->divider = 16;
    UART_AT(LINE)->control = SEND | RECEIVE | TELL_BYTE;
    UART_AT(TEXT)->divider = 16;
    UART_AT(TEXT)->control = SEND | RECEIVE | TELL_BYTE;
    ENABLE[LINE_IN / 32] = UINT32_C(1) << LINE_IN % 32;
    ENABLE[LINE_OUT / 32] = UINT32_C(1) << LINE_OUT % 32;
    ENABLE[TEXT_IN / 32] = UINT32_C(1) << TEXT_IN % 32;
    ENABLE[ALARM / 32] = UINT32_C(1) << ALARM % 32;
}

uint32_t board_ticks(void)
{
    return ~COUNTER->value;
}

void board_alarm(uint32_t ticks)
{
    ALARM_TIMER->control = 0;
    ALARM_TIMER->interrupts = 1;
    if (ticks == 0)
        return;
    ALARM_TIMER->reload = ticks;
    ALARM_TIMER->value = ticks;
    ALARM_TIMER->control = 1 | 8;
}

void board_sleep(void)
{
    __asm volatile("wfi" ::: "memory");
}

bool board_line_get(uint8_t *byte)
{
    if ((UART_AT(LINE)->state & BYTE) == 0)
        return false;
    *byte = (uint8_t)UART_AT(LINE)->data;
    return true;
}

bool board_line_put(uint8_t byte)
{
    if ((UART_AT(LINE)->state & ROOM) != 0)
        return false;
    UART_AT(LINE)->data = byte;
    return true;
}

void board_line_room(bool tell)
{
    UART_AT(LINE)->control = SEND | RECEIVE | TELL_BYTE | (tell ? TELL_ROOM : 0);
    if (tell) /* this one only tells when there is room again: begin */
        port_line_interrupt();
}

bool board_text_get(uint8_t *byte)
{
    if ((UART_AT(TEXT)->state & BYTE) == 0)
        return false;
    *byte = (uint8_t)UART_AT(TEXT)->data;
    return true;
}

void board_text_put(uint8_t byte)
{
    while ((UART_AT(TEXT)->state & ROOM) != 0) {
    }
    UART_AT(TEXT)->data = byte;
}

void board_stop(void)
{
    for (;;)
        board_sleep();
}

/* flash */

#define PAGE 4096

static uint8_t pages[2][PAGE] __attribute__((section(".free.flash")));

static bool erase(void *context, unsigned page)
{
    (void)context;
    memset(pages[page], 0xff, PAGE);
    return true;
}

static bool program(void *context, unsigned page, uint32_t offset, const void *bytes, uint32_t length)
{
    (void)context;
    for (uint32_t i = 0; i < length; i++)
        pages[page][offset + i] &= ((const uint8_t *)bytes)[i];
    return true;
}

static void read(void *context, unsigned page, uint32_t offset, void *bytes, uint32_t length)
{
    (void)context;
    memcpy(bytes, pages[page] + offset, length);
}

const struct ys_flash board_flash = {.page_size = PAGE, .unit = 8, .erase = erase, .program = program, .read = read};

/* interrupts */

static void line(void)
{
    UART_AT(LINE)->interrupts = 1 | 2;
    port_line_interrupt();
}

static void text(void)
{
    UART_AT(TEXT)->interrupts = 2;
}

static void alarm(void)
{
    ALARM_TIMER->interrupts = 1;
    ALARM_TIMER->control = 0;
    port_alarm_interrupt();
}

__attribute__((section(".vectors.board"), used)) static void (*const vectors[VECTORS])(void) = {
    [LINE_IN] = line, [LINE_OUT] = line, [TEXT_IN] = text, [ALARM] = alarm};
