/* Serial devices, pseudo-terminals, sockets, and the raw channel of an interface. */
#include "linux/opening.h"

#include <errno.h>
#include <fcntl.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/un.h>
#include <termios.h>
#include <unistd.h>

#define COUNT(array) (sizeof(array) / sizeof((array)[0]))

struct why {
    char *text;
    size_t size;
};

#if defined(__GNUC__)
__attribute__((format(printf, 3, 4)))
#endif
static int
fail(const struct why *why, int descriptor, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    (void)vsnprintf(why->text, why->size, format, arguments);
    va_end(arguments);
    if (descriptor >= 0)
        (void)close(descriptor);
    return -1;
}

/* The raw channel: a socket of the kernel, whose headers a machine may lack. While it is bound, no other program can
 * use the interface. Packets have their type byte. */

#define BLUETOOTH_FAMILY  31
#define HCI_PROTOCOL      1
#define CHANNEL_OF_A_USER 1

struct hci_address {
    unsigned short family;
    unsigned short interface;
    unsigned short channel;
};

static int open_interface(const char *where, unsigned long number, const struct why *why)
{
    const struct hci_address address = {BLUETOOTH_FAMILY, (unsigned short)number, CHANNEL_OF_A_USER};
    struct sockaddr_storage general = {.ss_family = BLUETOOTH_FAMILY};
    int descriptor = socket(BLUETOOTH_FAMILY, SOCK_RAW | SOCK_CLOEXEC, HCI_PROTOCOL);
    if (descriptor < 0)
        return fail(why, -1, "%s: this system has no Bluetooth interfaces: %s", where, strerror(errno));
    memcpy(&general, &address, sizeof address);
    if (bind(descriptor, (const struct sockaddr *)&general, sizeof address) == 0)
        return descriptor;
    if (errno == EBUSY)
        return fail(why, descriptor, "%s is in use: take it down first", where);
    if (errno == EPERM || errno == EACCES)
        return fail(why, descriptor, "%s: only an administrator may take an interface for itself", where);
    if (errno == ENODEV)
        return fail(why, descriptor, "there is no interface %s", where);
    return fail(why, descriptor, "cannot take %s: %s", where, strerror(errno));
}

static int open_socket(const char *where, const struct why *why)
{
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    if (strlen(where) >= sizeof address.sun_path)
        return fail(why, -1, "%s is too long for the path of a socket", where);
    int descriptor = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    (void)snprintf(address.sun_path, sizeof address.sun_path, "%s", where);
    if (descriptor < 0 || connect(descriptor, (const struct sockaddr *)&address, sizeof address) != 0)
        return fail(why, descriptor, "cannot connect to %s: %s", where, strerror(errno));
    return descriptor;
}

static bool find_speed(uint32_t bps, speed_t *speed)
{
    static const struct {
        uint32_t bps;
        speed_t speed;
    } speeds[] = {{9600, B9600},       {19200, B19200},     {38400, B38400},     {57600, B57600},
                  {115200, B115200},   {230400, B230400},   {460800, B460800},   {500000, B500000},
                  {921600, B921600},   {1000000, B1000000}, {1500000, B1500000}, {2000000, B2000000},
                  {3000000, B3000000}, {4000000, B4000000}};
    for (size_t i = 0; i < COUNT(speeds); i++) {
        if (speeds[i].bps == bps) {
            *speed = speeds[i].speed;
            return true;
        }
    }
    return false;
}

/* Eight bits, no parity, one stop bit, and nothing that the system would do to them (Core 5.4 Vol 4 Part A 1). */
static int set_up_terminal(const char *where, int descriptor, uint32_t bps, bool flow_control, const struct why *why)
{
    struct termios terminal;
    speed_t speed;
    if (!find_speed(bps != 0 ? bps : 115200, &speed))
        return fail(why, descriptor, "%lu bit/s is no speed of a serial line: take one such as 115200 or 1000000",
                    (unsigned long)bps);
    if (tcgetattr(descriptor, &terminal) != 0)
        return fail(why, descriptor, "cannot set up %s: %s", where, strerror(errno));
    terminal.c_iflag &= ~(tcflag_t)(IGNBRK | BRKINT | PARMRK | ISTRIP | INLCR | IGNCR | ICRNL | IXON | IXOFF);
    terminal.c_oflag &= ~(tcflag_t)OPOST;
    terminal.c_lflag &= ~(tcflag_t)(ECHO | ECHONL | ICANON | ISIG | IEXTEN);
    terminal.c_cflag &= ~(tcflag_t)(CSIZE | PARENB | CSTOPB | CRTSCTS);
    terminal.c_cflag |= CS8 | CREAD | CLOCAL | (flow_control ? CRTSCTS : 0);
    terminal.c_cc[VMIN] = 1;
    terminal.c_cc[VTIME] = 0;
    if (cfsetispeed(&terminal, speed) != 0 || cfsetospeed(&terminal, speed) != 0 ||
        tcsetattr(descriptor, TCSANOW, &terminal) != 0)
        return fail(why, descriptor, "cannot set up %s: %s", where, strerror(errno));
    (void)tcflush(descriptor, TCIOFLUSH);
    return descriptor;
}

int opening_open(const char *where, uint32_t bps, bool flow_control, bool *packets, char *problem, size_t size)
{
    const struct why why = {problem, size};
    struct stat found;
    char *end = NULL;
    *packets = false;
    if (strncmp(where, "hci", 3) == 0 && where[3] >= '0' && where[3] <= '9') {
        unsigned long number = strtoul(where + 3, &end, 10);
        *packets = *end == '\0' && number < 0xffff;
        if (*packets)
            return open_interface(where, number, &why);
    }
    if (stat(where, &found) != 0)
        return fail(&why, -1, "cannot open %s: %s", where, strerror(errno));
    if (S_ISSOCK(found.st_mode))
        return open_socket(where, &why);
    if (!S_ISCHR(found.st_mode))
        return fail(&why, -1, "%s is no serial device and no socket", where);
    int descriptor = open(where, O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (descriptor < 0)
        return fail(&why, -1, "cannot open %s: %s", where, strerror(errno));
    if (isatty(descriptor) == 0)
        return fail(&why, descriptor, "%s is no serial device", where);
    return set_up_terminal(where, descriptor, bps, flow_control, &why);
}
