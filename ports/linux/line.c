/* A line to a controller: bytes through a descriptor, or packets. */
#include <yarnswift/line.h>

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/eventfd.h>
#include <sys/random.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#include <yarnswift/serial.h>

#include "linux/opening.h"
#include "machine/crypto.h"
#include "simulated/store.h"

#define RING       16384 /* either way, of bytes */
#define PACKET_MAX 4096
#define STORE_SIZE 65536
#define SEND_MS    1000 /* for how long a line may take nothing */

struct ys_line {
    struct ys_line_settings settings;
    struct ys_port port;
    int descriptor;
    int wakes; /* an eventfd */
    bool packets;
    bool gone;
    pthread_mutex_t critical;
    struct ys_store *store;
    struct ys_serial serial;
    struct ys_serial_settings serial_settings;
    uint8_t in[RING];
    uint8_t out[RING];
    uint8_t packet[PACKET_MAX];
    uint8_t left[4096]; /* bytes on their way from the ring to the descriptor */
    size_t left_at;
    size_t left_length;
    enum ys_curve curve;
    size_t curve_length;
    uint8_t curve_result[64];
    uint8_t private_key[32];
};

static void say(struct ys_line *line, const char *text, uint32_t value)
{
    if (line->settings.log != NULL)
        line->settings.log(line->settings.context, text, value);
}

/* Nothing goes to it or comes from it any more. */
static void lose(struct ys_line *line, const char *text, int error)
{
    if (!line->gone)
        say(line, text, (uint32_t)error);
    line->gone = true;
}

static bool is_later(int error)
{
    return error == EAGAIN || error == EWOULDBLOCK || error == EINTR;
}

/* A socket that the other side has closed must not end the process. */
static ssize_t put(const struct ys_line *line, const uint8_t *bytes, size_t length)
{
    ssize_t written = send(line->descriptor, bytes, length, MSG_NOSIGNAL);
    return written < 0 && errno == ENOTSOCK ? write(line->descriptor, bytes, length) : written;
}

/* Bytes */

/* Writes as much as the descriptor takes now; true once nothing is left. */
static bool flush(struct ys_line *line)
{
    while (!line->gone) {
        if (line->left_at == line->left_length) {
            line->left_at = 0;
            line->left_length = ys_serial_take(&line->serial, line->left, sizeof line->left);
        }
        if (line->left_length == 0)
            return true;
        ssize_t written = put(line, line->left + line->left_at, line->left_length - line->left_at);
        if (written < 0 && is_later(errno))
            return false;
        if (written <= 0)
            lose(line, "the controller is gone: it takes nothing any more, error", errno);
        else
            line->left_at += (size_t)written;
    }
    return true;
}

static void begin(void *context)
{
    (void)flush(context);
}

static bool wait_for_room(void *context)
{
    struct ys_line *line = context;
    struct pollfd writable = {.fd = line->descriptor, .events = POLLOUT};
    if (line->gone || poll(&writable, 1, SEND_MS) <= 0)
        return false;
    (void)flush(line);
    return !line->gone;
}

static void serial_fault(void *context, enum ys_serial_fault fault, uint32_t number)
{
    say(context, ys_serial_fault_text(fault), number);
}

static void read_bytes(struct ys_line *line)
{
    uint8_t bytes[4096];
    uint32_t room;
    while (!line->gone && (room = ys_serial_room(&line->serial)) > 0) {
        ssize_t got = read(line->descriptor, bytes, room < sizeof bytes ? room : sizeof bytes);
        if (got < 0 && is_later(errno))
            return;
        if (got <= 0)
            lose(line, "the controller is gone: it was unplugged or closed, error", got < 0 ? errno : 0);
        else
            (void)ys_serial_put(&line->serial, bytes, (uint32_t)got);
    }
}

/* Packets */

static void send_packet(struct ys_line *line, const uint8_t *packet, size_t length)
{
    struct pollfd writable = {.fd = line->descriptor, .events = POLLOUT};
    while (!line->gone) {
        ssize_t written = put(line, packet, length);
        if (written == (ssize_t)length)
            return;
        if (written >= 0 || !is_later(errno) || poll(&writable, 1, SEND_MS) <= 0)
            lose(line, "the controller is gone: it takes no packet, error", errno);
    }
}

static const uint8_t *receive_packet(struct ys_line *line, size_t *length)
{
    ssize_t got = line->gone ? -1 : read(line->descriptor, line->packet, sizeof line->packet);
    if (got > 0) {
        *length = (size_t)got;
        return line->packet;
    }
    if (!line->gone && (got == 0 || !is_later(errno)))
        lose(line, "the controller is gone: no packet comes any more, error", got < 0 ? errno : 0);
    return NULL;
}

/* The port */

static void port_send(void *context, const uint8_t *packet, size_t length)
{
    struct ys_line *line = context;
    if (line->packets)
        send_packet(line, packet, length);
    else
        ys_serial_send(&line->serial, packet, length);
}

static const uint8_t *port_receive(void *context, size_t *length)
{
    struct ys_line *line = context;
    if (line->packets)
        return receive_packet(line, length);
    read_bytes(line);
    return ys_serial_receive(&line->serial, length);
}

static uint64_t now_ns(void)
{
    struct timespec now;
    (void)clock_gettime(CLOCK_MONOTONIC, &now);
    return (uint64_t)now.tv_sec * 1000000000 + (uint64_t)now.tv_nsec;
}

static uint32_t port_now_ms(void *context)
{
    (void)context;
    return (uint32_t)(now_ns() / 1000000);
}

static uint32_t port_now_us(void *context)
{
    (void)context;
    return (uint32_t)(now_ns() / 1000);
}

static bool port_random(void *context, void *bytes, size_t length)
{
    (void)context;
    return length <= 256 && getentropy(bytes, length) == 0;
}

static void port_enter(void *context)
{
    (void)pthread_mutex_lock(&((struct ys_line *)context)->critical);
}

static void port_leave(void *context)
{
    (void)pthread_mutex_unlock(&((struct ys_line *)context)->critical);
}

static void port_wake(void *context)
{
    (void)eventfd_write(((struct ys_line *)context)->wakes, 1);
}

static bool port_encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    return ys_crypto_encrypt(key, plain, cipher);
}

static bool begin_curve(struct ys_line *line, size_t length, bool good)
{
    line->curve_length = length;
    line->curve = good ? YS_CURVE_DONE : YS_CURVE_FAILED;
    port_wake(line);
    return true;
}

static bool port_curve_key(void *context)
{
    struct ys_line *line = context;
    return begin_curve(line, 64, ys_crypto_key(port_random, line, line->private_key, line->curve_result));
}

static bool port_curve_secret(void *context, const uint8_t *peer)
{
    struct ys_line *line = context;
    return begin_curve(line, 32, ys_crypto_secret(port_random, line, line->private_key, peer, line->curve_result));
}

static enum ys_curve port_curve_result(void *context, uint8_t *result)
{
    struct ys_line *line = context;
    size_t length = line->curve_length;
    if (result == NULL)
        memset(line->private_key, 0, sizeof line->private_key);
    else
        memcpy(result, line->curve_result, length);
    memset(line->curve_result, 0, sizeof line->curve_result);
    line->curve_length = 0;
    return length > 0 ? line->curve : YS_CURVE_FAILED;
}

static bool port_put(void *context, uint16_t key, const void *bytes, size_t length)
{
    return ys_store_put(((struct ys_line *)context)->store, key, bytes, length);
}

static size_t port_get(void *context, uint16_t key, void *bytes, size_t size)
{
    return ys_store_get(((struct ys_line *)context)->store, key, bytes, size);
}

static void port_delete(void *context, uint16_t key)
{
    ys_store_delete(((struct ys_line *)context)->store, key);
}

static void port_log(void *context, const char *text, uint32_t value)
{
    say(context, text, value);
}

/* Beginning and end */

static void make_port(struct ys_line *line)
{
    line->port = (struct ys_port){
        .context = line,
        .send = port_send,
        .receive = port_receive,
        .now_ms = port_now_ms,
        .now_us = port_now_us,
        .random = port_random,
        .enter_critical = port_enter,
        .leave_critical = port_leave,
        .wake = port_wake,
        .encrypt = port_encrypt,
        .curve_key = port_curve_key,
        .curve_secret = port_curve_secret,
        .curve_result = port_curve_result,
        .log = port_log,
    };
    if (line->store != NULL) {
        line->port.store_put = port_put;
        line->port.store_get = port_get;
        line->port.store_delete = port_delete;
    }
    line->serial_settings = (struct ys_serial_settings){
        .in = line->in,
        .in_size = sizeof line->in,
        .out = line->out,
        .out_size = sizeof line->out,
        .packet = line->packet,
        .packet_size = sizeof line->packet,
        .context = line,
        .begin = begin,
        .wait = wait_for_room,
        .now_ms = port_now_ms,
        .fault = serial_fault,
    };
    (void)ys_serial_init(&line->serial, &line->serial_settings);
}

struct ys_line *ys_line_over(const struct ys_line_settings *settings, int descriptor, bool packets, char *problem,
                             size_t size)
{
    struct ys_line *line = calloc(1, sizeof *line);
    int flags = fcntl(descriptor, F_GETFL);
    bool good = line != NULL && flags >= 0 && fcntl(descriptor, F_SETFL, flags | O_NONBLOCK) == 0;
    if (!good)
        (void)snprintf(problem, size, "cannot use its descriptor: %s", strerror(line != NULL ? errno : ENOMEM));
    if (good) {
        line->settings = *settings;
        line->descriptor = descriptor;
        line->packets = packets;
        line->wakes = eventfd(0, EFD_NONBLOCK | EFD_CLOEXEC);
        good = line->wakes >= 0 && pthread_mutex_init(&line->critical, NULL) == 0;
        if (!good)
            (void)snprintf(problem, size, "cannot wake its loop: %s", strerror(errno));
        if (!good && line->wakes >= 0)
            (void)close(line->wakes);
    }
    if (!good) {
        free(line);
        (void)close(descriptor);
        return NULL;
    }
    if (settings->store != NULL)
        line->store = ys_store_open(settings->store, STORE_SIZE, problem, size);
    if (settings->store != NULL && line->store == NULL) {
        ys_line_close(line);
        return NULL;
    }
    make_port(line);
    return line;
}

struct ys_line *ys_line_open(const struct ys_line_settings *settings, char *problem, size_t size)
{
    bool packets = false;
    int descriptor = opening_open(settings->where, settings->bps, settings->flow_control, &packets, problem, size);
    return descriptor >= 0 ? ys_line_over(settings, descriptor, packets, problem, size) : NULL;
}

void ys_line_close(struct ys_line *line)
{
    if (line == NULL)
        return;
    (void)close(line->descriptor);
    (void)close(line->wakes);
    (void)pthread_mutex_destroy(&line->critical);
    ys_store_free(line->store);
    memset(line->private_key, 0, sizeof line->private_key);
    free(line);
}

const struct ys_port *ys_line_port(const struct ys_line *line)
{
    return &line->port;
}

int ys_line_descriptor(const struct ys_line *line)
{
    return line->descriptor;
}

bool ys_line_wait(struct ys_line *line, uint32_t wait_ms)
{
    bool sends = !line->packets && !flush(line);
    struct pollfd waited[2] = {{.fd = line->descriptor, .events = (short)(POLLIN | (sends ? POLLOUT : 0))},
                               {.fd = line->wakes, .events = POLLIN}};
    eventfd_t woken;
    if (line->gone)
        return false;
    wait_ms = line->packets ? wait_ms : ys_serial_wait_ms(&line->serial, wait_ms);
    int timeout = wait_ms == YS_FOREVER ? -1 : wait_ms > 3600000 ? 3600000 : (int)wait_ms;
    if (poll(waited, 2, timeout) < 0 && errno != EINTR)
        lose(line, "the line cannot be waited at, error", errno);
    (void)eventfd_read(line->wakes, &woken);
    if (sends)
        (void)flush(line);
    /* what has come is still read, and says by its end that there is no more */
    if ((waited[0].revents & (POLLERR | POLLHUP | POLLNVAL)) != 0 && (waited[0].revents & POLLIN) == 0)
        lose(line, "the controller is gone: it was unplugged or closed, error", 0);
    return !line->gone;
}
