/* The special instructions of this machine that are used. */
#ifndef MACHINE_INSTRUCTIONS_H
#define MACHINE_INSTRUCTIONS_H

#include <stdbool.h>

#if defined(__x86_64__) && defined(__GNUC__)
#define YS_MACHINE_KNOWN 1
#else
#define YS_MACHINE_KNOWN 0 /* nothing is known of what it has */
#endif

/* Rounds of AES, or products without carries. Neither, if the environment has YARNSWIFT_PLAIN with a value. */
bool ys_machine_has_aes(void);
bool ys_machine_has_products(void);

/* Disables them, or enables them again: for tests. Not while other threads run. */
void ys_machine_be_plain(bool plain);

#endif
