/* Firmware that crashes, or does not come back, is named before the process ends. */
#ifndef CLI_SHARED_CRASH_H
#define CLI_SHARED_CRASH_H

/* From now on, a crash is told to the file descriptor `fd`, between these two texts, and ends the process with
 * `status`. The settings of the terminal, if there is one, become again what they are now. */
void crash_watch(int fd, const char *before, const char *behind, int status);

#endif
