/* A simulated controller at the end of a line. It speaks H4 (Core 5.4 Vol 4 Part A), and sends a hardware error when
 * the line has lost synchronisation. */
#include "cli/air/offered.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <termios.h>
#include <unistd.h>

#include <yarnswift/serial.h>

#include "cli/shared/say.h"
#include "design/model/memory.h"
#include "sim/controller.h"

#define RING      16384
#define NAME_SIZE 32
#define SETS      16

struct offered {
    struct offering offering;
    struct ys_controller *controller;
    struct ys_serial serial;
    struct ys_serial_settings settings;
    char name[NAME_SIZE];
    char *path;
    int listens; /* of a socket; -1 */
    int line;    /* -1: nobody is there */
    int slave;   /* of a pseudo-terminal, which so never hangs up; -1 */
    bool faulty;
    bool stuck; /* nobody takes what is sent, which has been said */
    uint8_t in[RING];
    uint8_t out[RING];
    uint8_t packet[4096];
    uint8_t left[4096];
    size_t left_at;
    size_t left_length;
};

static void say(struct offered *offered, const char *text)
{
    offered->offering.say(offered->offering.context, offered->name, text);
}

static void nothing(void *context)
{
    (void)context;
}

static void fault(void *context, enum ys_serial_fault what, uint32_t number)
{
    struct offered *offered = context;
    char text[120];
    offered->faulty = true;
    if (what == YS_SERIAL_STUCK && offered->stuck)
        return;
    offered->stuck |= what == YS_SERIAL_STUCK;
    (void)snprintf(text, sizeof text, "%s %u", ys_serial_fault_text(what), (unsigned)number);
    say(offered, text);
}

static void begin_line(struct offered *offered)
{
    offered->faulty = false;
    offered->left_at = 0;
    offered->left_length = 0;
    offered->settings = (struct ys_serial_settings){.in = offered->in,
                                                    .in_size = sizeof offered->in,
                                                    .out = offered->out,
                                                    .out_size = sizeof offered->out,
                                                    .packet = offered->packet,
                                                    .packet_size = sizeof offered->packet,
                                                    .controller = true,
                                                    .context = offered,
                                                    .begin = nothing,
                                                    .fault = fault};
    (void)ys_serial_init(&offered->serial, &offered->settings);
}

/* To the host, over the line. */
static void carry(void *context, const uint8_t *packet, size_t length)
{
    struct offered *offered = context;
    if (offered->line >= 0)
        ys_serial_send(&offered->serial, packet, length);
}

static void to_host(void *context, const uint8_t *packet, size_t length)
{
    const struct offered *offered = context;
    ys_world_cross(offered->offering.world, offered->offering.first, offered->name, YS_TO_HOST, packet, length);
    carry(context, packet, length);
}

/* To the controller; that of a device of the scene is recorded with it. */
static void from_host(struct offered *offered, const uint8_t *packet, size_t length)
{
    if (offered->offering.plug != NULL) {
        ys_plug_send(offered->offering.plug, packet, length);
        return;
    }
    ys_world_cross(offered->offering.world, offered->offering.first, offered->name, YS_TO_CONTROLLER, packet, length);
    ys_controller_receive(offered->controller, packet, length);
}

/* A pseudo-terminal whose bytes nobody touches. */
static bool open_terminal(const char *who, struct offered *offered)
{
    struct termios terminal;
    offered->line = posix_openpt(O_RDWR | O_NOCTTY);
    const char *path = offered->line >= 0 && grantpt(offered->line) == 0 && unlockpt(offered->line) == 0
                           ? ptsname(offered->line)
                           : NULL;
    offered->path = path != NULL ? ys_copy(path, strlen(path)) : NULL;
    offered->slave = path != NULL ? open(path, O_RDWR | O_NOCTTY) : -1;
    if (offered->slave < 0 || tcgetattr(offered->slave, &terminal) != 0)
        return complain(who, "cannot make a pseudo-terminal: %s", strerror(errno));
    cfmakeraw(&terminal);
    (void)tcsetattr(offered->slave, TCSANOW, &terminal);
    (void)fcntl(offered->line, F_SETFL, O_NONBLOCK);
    return true;
}

static bool open_socket(const char *who, struct offered *offered)
{
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    offered->path = ys_new_text("%s/%u", offered->offering.folder, offered->offering.number);
    if (strlen(offered->path) >= sizeof address.sun_path)
        return complain(who, "%s is too long for the path of a socket", offered->path);
    (void)snprintf(address.sun_path, sizeof address.sun_path, "%s", offered->path);
    int listens = socket(AF_UNIX, SOCK_STREAM | SOCK_NONBLOCK | SOCK_CLOEXEC, 0);
    if (listens < 0 || bind(listens, (const struct sockaddr *)&address, sizeof address) != 0 ||
        listen(listens, 1) != 0) {
        int error = errno;
        if (listens >= 0)
            (void)close(listens);
        return complain(who, "cannot offer a controller at %s: %s", offered->path, strerror(error));
    }
    offered->listens = listens;
    return true;
}

struct offered *offered_new(const char *who, const struct offering *offering)
{
    struct offered *offered = ys_new(sizeof *offered);
    offered->offering = *offering;
    offered->listens = -1;
    offered->line = -1;
    offered->slave = -1;
    (void)snprintf(offered->name, sizeof offered->name, "controller %u", offering->number);
    if (offering->plug != NULL)
        (void)snprintf(offered->name, sizeof offered->name, "%s", offering->name);
    begin_line(offered);
    if (offering->plug != NULL)
        ys_plug_carry(offering->plug, carry, offered);
    else
        offered->controller = ys_controller_new(
            offering->world->radio,
            &(struct ys_controller_settings){.number = offering->first,
                                             .seed = offering->seed,
                                             .sets = SETS,
                                             .address = {.bytes = {(uint8_t)offering->number, 0, 0, 0xff, 0xff, 0}},
                                             .send = to_host,
                                             .context = offered});
    bool good = (offered->controller != NULL || offering->plug != NULL) &&
                (offering->folder != NULL ? open_socket(who, offered) : open_terminal(who, offered));
    if (good)
        return offered;
    offered_free(offered);
    return NULL;
}

void offered_free(struct offered *offered)
{
    if (offered == NULL)
        return;
    if (offered->listens >= 0)
        (void)close(offered->listens);
    if (offered->listens >= 0 && offered->path != NULL)
        (void)unlink(offered->path);
    if (offered->line >= 0)
        (void)close(offered->line);
    if (offered->slave >= 0)
        (void)close(offered->slave);
    ys_controller_free(offered->controller);
    free(offered->path);
    free(offered);
}

const char *offered_path(const struct offered *offered)
{
    return offered->path;
}

const char *offered_name(const struct offered *offered)
{
    return offered->name;
}

struct pollfd offered_waits(const struct offered *offered)
{
    bool full = offered->line >= 0 && ys_serial_room(&offered->serial) == 0;
    bool sends = offered->left_at < offered->left_length;
    if (offered->line < 0)
        return (struct pollfd){.fd = offered->listens, .events = POLLIN};
    return (struct pollfd){.fd = offered->line, .events = (short)((full ? 0 : POLLIN) | (sends ? POLLOUT : 0))};
}

/* Its host has gone: another may come. */
static void hang_up(struct offered *offered)
{
    (void)close(offered->line);
    offered->line = -1;
    say(offered, "its host has gone");
}

static bool is_later(int error)
{
    return error == EAGAIN || error == EWOULDBLOCK || error == EINTR;
}

static void read_line(struct offered *offered)
{
    uint8_t bytes[4096];
    uint32_t room;
    while (offered->line >= 0 && (room = ys_serial_room(&offered->serial)) > 0) {
        ssize_t got = read(offered->line, bytes, room < sizeof bytes ? room : sizeof bytes);
        if (got < 0 && is_later(errno))
            return;
        offered->stuck = offered->stuck && got <= 0;
        if (got > 0)
            (void)ys_serial_put(&offered->serial, bytes, (uint32_t)got);
        else if (offered->listens >= 0)
            hang_up(offered);
        else
            return; /* nobody is at the other end of the terminal now */
    }
}

/* A host that has gone must not end the command. */
static ssize_t put(const struct offered *offered, const uint8_t *bytes, size_t length)
{
    return offered->listens >= 0 ? send(offered->line, bytes, length, MSG_NOSIGNAL)
                                 : write(offered->line, bytes, length);
}

static void write_line(struct offered *offered)
{
    while (offered->line >= 0) {
        if (offered->left_at == offered->left_length) {
            offered->left_at = 0;
            offered->left_length = ys_serial_take(&offered->serial, offered->left, sizeof offered->left);
        }
        if (offered->left_length == 0)
            return;
        ssize_t written = put(offered, offered->left + offered->left_at, offered->left_length - offered->left_at);
        if (written < 0 && is_later(errno))
            return;
        if (written > 0)
            offered->left_at += (size_t)written;
        else if (offered->listens >= 0)
            hang_up(offered);
        else
            return;
    }
}

void offered_turn(struct offered *offered)
{
    static const uint8_t hardware_error[] = {4, 0x10, 1, 0};
    const uint8_t *packet;
    size_t length = 0;
    if (offered->line < 0 && offered->listens >= 0) {
        offered->line = accept4(offered->listens, NULL, NULL, SOCK_NONBLOCK | SOCK_CLOEXEC);
        if (offered->line >= 0) {
            begin_line(offered);
            say(offered, "a host has come");
        }
    }
    read_line(offered);
    while ((packet = ys_serial_receive(&offered->serial, &length)) != NULL)
        from_host(offered, packet, length);
    if (offered->faulty)
        carry(offered, hardware_error, sizeof hardware_error);
    offered->faulty = false;
    write_line(offered);
}
