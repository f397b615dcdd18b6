/* Firmware that crashes, or does not come back, is named before the process ends. */
#ifndef CLI_SHARED_CRASH_H
#define CLI_SHARED_CRASH_H

/* The limit of a take's processor time in seconds: the default, and where there is no option for it. */
#define TAKE_USUAL_S 600
#define TAKE_MOST_S  3600

/* From now on, a crash is told to the file descriptor `fd`, between these two texts, and ends the process with
 * `status`; likewise whatever goes on for more than `most_s` seconds of the processor (0: as long as it likes), or for
 * ten times as long. The settings of the terminal, if there is one, become again what they are now. */
void crash_watch(int fd, const char *before, const char *behind, int status, unsigned most_s);

#endif
