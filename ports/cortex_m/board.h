/* What a board gives to the port: two lines, a counter, an alarm, flash. boards/ has one for an emulator; yours is a
 * file like it, with your microcontroller's registers. */
#ifndef PORTS_CORTEX_M_BOARD_H
#define PORTS_CORTEX_M_BOARD_H

#include <stdbool.h>
#include <stdint.h>

#include "parts/flash_store.h"

/* Switches on clocks, pins, both lines, the counter, and all their interrupts but those for transmitting. Called first;
 * interrupts are off. */
void board_start(void);

/* A counter that always runs, and wraps at 2^32; and how many of its ticks make a microsecond. */
uint32_t board_ticks(void);
extern const uint32_t board_ticks_per_us;

/* Sets the alarm: port_alarm_interrupt is called once, after this number of ticks from now. It replaces an earlier
 * alarm; 0 clears it. */
void board_alarm(uint32_t ticks);

/* Sleeps until an interrupt is pending. Interrupts are off, and are taken later. */
void board_sleep(void);

/* The line to the controller. Its interrupt calls port_line_interrupt. These functions read a received byte (false:
 * none), write a byte (false: no room), and switch the transmit interrupt on or off. The first two are called from
 * port_line_interrupt only. */
bool board_line_get(uint8_t *byte);
bool board_line_put(uint8_t byte);
void board_line_room(bool tell);

/* The line for text: the log, and what the workstation is told. A byte that has come, or false; and one to be sent, for
 * whose room it waits. An interrupt for bytes that have come ends board_sleep, and need do nothing else. From the main
 * loop. */
bool board_text_get(uint8_t *byte);
void board_text_put(uint8_t byte);

/* Two pages of flash; page_size 0: there are none, and no peer is remembered. */
extern const struct ys_flash board_flash;

/* Starts the device anew, or does not return. */
void board_stop(void);

/* The emulator's machine that this board is; "" for a real one. */
#define BOARD_MACHINE_SIZE 24
extern const char board_machine[BOARD_MACHINE_SIZE];

/* Called by the board. */
void port_line_interrupt(void);
void port_alarm_interrupt(void);

#endif
