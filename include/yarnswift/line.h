/* The port to a real controller, from a process: HCI over a serial device, a pseudo-terminal or a socket, or the raw
 * channel of a Bluetooth interface of the operating system. Time is that of the wall.
 *
 *     struct ys_line *line = ys_line_open(&settings, problem, sizeof problem);
 *     ys_host_init(&host, sizeof host, &(struct ys_host_settings){.port = ys_line_port(line), ...});
 *     ys_host_start(&host);
 *     while (ys_line_wait(line, ys_host_run(&host))) {
 *     }
 *
 * One thread runs the host and this loop; others may call what is safe from interrupts, which wakes it. */
#ifndef YARNSWIFT_LINE_H
#define YARNSWIFT_LINE_H

#include <yarnswift/host.h>

#ifdef __cplusplus
extern "C" {
#endif

struct ys_line;

/* Where a controller is, and who is told. Pointers are the caller's. */
struct ys_line_settings {
    /* Where the controller is: a device or pseudo-terminal (/dev/ttyUSB0), a socket in the file system, or `hci0` and
     * so on for an interface of the operating system, which must be down, and whoever opens it allowed to. */
    const char *where;
    uint32_t bps;      /* of a serial device: 9,600 to 4,000,000, as it knows them; 0: 115,200 */
    bool flow_control; /* by RTS and CTS */
    const char *store; /* file of an SQLite database, which is made if there is none; NULL: nothing is remembered */
    void *context;     /* handed to the function below */
    /* Optional: lines for the log: the host's, the firmware's, and what is wrong with the line. */
    void (*log)(void *context, const char *text, uint32_t value);
};

/* Opens it; `where` and `store` are read now, the rest must stay valid. NULL, and why with what to do in `problem`. */
struct ys_line *ys_line_open(const struct ys_line_settings *settings, char *problem, size_t size);

/* The same over a descriptor that is open, which is the line's from then on: of bytes, or of whole packets, as the raw
 * channel has them. `where` is not looked at. */
struct ys_line *ys_line_over(const struct ys_line_settings *settings, int descriptor, bool packets, char *problem,
                             size_t size);

/* Closes it, and its store; the host that uses its port must not be turned any more. NULL: nothing happens. */
void ys_line_close(struct ys_line *line);

/* To be handed to ys_host_init. It stays the line's. */
const struct ys_port *ys_line_port(const struct ys_line *line);

/* Its descriptor, for a loop that waits at others, too: whenever something has come, and now and then, it calls
 * ys_line_wait with 0. */
int ys_line_descriptor(const struct ys_line *line);

/* Waits until something comes, somebody wakes the host, or `wait_ms` have passed as ys_host_run has returned them.
 * False if the controller is gone: unplugged, or closed at the other side. */
bool ys_line_wait(struct ys_line *line, uint32_t wait_ms);

#ifdef __cplusplus
}
#endif

#endif
