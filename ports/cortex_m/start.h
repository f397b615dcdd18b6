/* What the start-up code offers to the rest of the port. */
#ifndef PORTS_CORTEX_M_START_H
#define PORTS_CORTEX_M_START_H

#include <stdbool.h>
#include <stdint.h>

/* The deepest stack until now, and its size, in bytes. */
uint32_t start_stack_deepest(uint32_t *size);

/* Calls a function in an interrupt, and returns when it has returned. From the main loop, while interrupts are on. */
void start_interrupt(void (*call)(void *argument), void *argument);

bool start_in_interrupt(void);

/* The processor has failed: r0 to r12, sp, lr, pc and status as they were, and its own word on why. It must not return.
 * The port's, called from here. */
void port_fault(const uint32_t registers[17], uint32_t why);

#endif
