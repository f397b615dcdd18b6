/* An emulator as a process, with the two lines of its target; or these lines alone, with a board or a process of its
 * own at their other ends. */
#ifndef PORTS_EMULATED_EMULATOR_H
#define PORTS_EMULATED_EMULATOR_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct ys_emulator;

/* The processor's clock runs by its instructions, of which each takes so many nanoseconds: so many that each is several
 * ticks of any counter, and can be counted. */
#define YS_EMULATOR_NS 1024

enum ys_emulator_line { YS_EMULATOR_HCI, YS_EMULATOR_STEP };

/* Starts an emulator for an image. NULL, with the reason and a remedy in `problem`. */
struct ys_emulator *ys_emulator_start(const char *machine, const char *path, char *problem, size_t size);

/* The lines of a target that is there: serial devices, at this rate (0: 115200 bit/s), or sockets. */
struct ys_emulator *ys_emulator_connect(const char *hci, const char *step, uint32_t bps, char *problem, size_t size);

/* Ends it, in whatever state. */
void ys_emulator_end(struct ys_emulator *emulator);

/* Sends all bytes; false: it is gone. */
bool ys_emulator_send(struct ys_emulator *emulator, enum ys_emulator_line line, const void *bytes, size_t length);

/* Waits for bytes for at most `timeout_ms`. 0: none arrived; -1: the emulator has ended. */
long ys_emulator_receive(struct ys_emulator *emulator, enum ys_emulator_line line, void *bytes, size_t size,
                         int timeout_ms);

/* Why it has ended, as far as it has said so. */
void ys_emulator_why(struct ys_emulator *emulator, char *text, size_t size);

#endif
