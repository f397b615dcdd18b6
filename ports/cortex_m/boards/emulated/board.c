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

/* Registers: of a UART; and of a timer that counts down. */
#define REGISTER(address) (*(volatile uint32_t *)(uintptr_t)(address))
#define DATA              0x00
#define STATE             0x04 /* ROOM: there is none, BYTE: one has come */
#define CONTROL           0x08
#define CLEAR             0x0c
#define DIVIDER           0x10
#define TIMER_CONTROL     0x0
#define TIMER_VALUE       0x4
#define TIMER_RELOAD      0x8
#define TIMER_CLEAR       0xc
#define COUNTER           TIMERS
#define ALARM_TIMER       (TIMERS + 0x1000)
#define ENABLE(interrupt) REGISTER(UINT32_C(0xe000e100) + 4 * ((interrupt) / 32))
#define BIT(interrupt)    (UINT32_C(1) << (interrupt) % 32)

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
    REGISTER(COUNTER + TIMER_RELOAD) = UINT32_MAX;
    REGISTER(COUNTER + TIMER_VALUE) = UINT32_MAX;
    REGISTER(COUNTER + TIMER_CONTROL) = 1;
    REGISTER(LINE + DIVIDER) = 16;
    REGISTER(LINE + CONTROL) = SEND | RECEIVE | TELL_BYTE;
    REGISTER(TEXT + DIVIDER) = 16;
    REGISTER(TEXT + CONTROL) = SEND | RECEIVE | TELL_BYTE;
    ENABLE(LINE_IN) = BIT(LINE_IN);
    ENABLE(LINE_OUT) = BIT(LINE_OUT);
    ENABLE(TEXT_IN) = BIT(TEXT_IN);
    ENABLE(ALARM) = BIT(ALARM);
}

uint32_t board_ticks(void)
{
    return ~REGISTER(COUNTER + TIMER_VALUE);
}

void board_alarm(uint32_t ticks)
{
    REGISTER(ALARM_TIMER + TIMER_CONTROL) = 0;
    REGISTER(ALARM_TIMER + TIMER_CLEAR) = 1;
    if (ticks == 0)
        return;
    REGISTER(ALARM_TIMER + TIMER_RELOAD) = ticks;
    REGISTER(ALARM_TIMER + TIMER_VALUE) = ticks;
    REGISTER(ALARM_TIMER + TIMER_CONTROL) = 1 | 8;
}

void board_sleep(void)
{
    __asm volatile("wfi" ::: "memory");
}

bool board_line_get(uint8_t *byte)
{
    if ((REGISTER(LINE + STATE) & BYTE) == 0)
        return false;
    *byte = (uint8_t)REGISTER(LINE + DATA);
    return true;
}

bool board_line_put(uint8_t byte)
{
    if ((REGISTER(LINE + STATE) & ROOM) != 0)
        return false;
    REGISTER(LINE + DATA) = byte;
    return true;
}

void board_line_room(bool tell)
{
    REGISTER(LINE + CONTROL) = SEND | RECEIVE | TELL_BYTE | (tell ? TELL_ROOM : 0);
    if (tell) /* this one only tells when there is room again: begin */
        port_line_interrupt();
}

bool board_text_get(uint8_t *byte)
{
    if ((REGISTER(TEXT + STATE) & BYTE) == 0)
        return false;
    *byte = (uint8_t)REGISTER(TEXT + DATA);
    return true;
}

void board_text_put(uint8_t byte)
{
    while ((REGISTER(TEXT + STATE) & ROOM) != 0) {
    }
    REGISTER(TEXT + DATA) = byte;
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
    REGISTER(LINE + CLEAR) = 1 | 2;
    port_line_interrupt();
}

static void text(void)
{
    REGISTER(TEXT + CLEAR) = 2;
}

static void alarm(void)
{
    REGISTER(ALARM_TIMER + TIMER_CLEAR) = 1;
    REGISTER(ALARM_TIMER + TIMER_CONTROL) = 0;
    port_alarm_interrupt();
}

__attribute__((section(".vectors.board"), used)) static void (*const vectors[VECTORS])(void) = {
    [LINE_IN] = line, [LINE_OUT] = line, [TEXT_IN] = text, [ALARM] = alarm};
