/* A target that keeps step without an emulator, in whose place it is started: the torque wrench's firmware as a
 * process, or one that misbehaves, as its machine is called. It shows that keeping step needs no feature of an
 * emulator. */
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include <yarnswift/borrow.h>
#include <yarnswift/serial.h>
#include <yarnswift/step.h>

#include "parts/aes.h"
#include "torque_wrench_config.h"
#include "wrench.h"

#define BUFFER 16384

static struct target {
    int hci;
    int text;
    struct ys_serial serial;
    struct ys_serial_settings serial_settings;
    uint8_t in[BUFFER];
    uint8_t out[BUFFER];
    uint8_t packet[300];
    uint32_t sent;
    uint32_t received;
    struct ys_host host;
    struct ys_commands commands;
    struct ys_borrowed borrowed;
    struct ys_step step;
    struct ys_step_settings settings;
    uint8_t memory[16384];
} target;

static void say(const char *text)
{
    (void)!write(target.text, text, strlen(text));
}

static void put(void *context, uint8_t byte)
{
    (void)context;
    if (write(target.text, &byte, 1) != 1)
        exit(0);
}

static int get(void *context, bool forever)
{
    uint8_t byte;
    (void)context;
    (void)forever;
    if (read(target.text, &byte, 1) != 1)
        exit(0); /* the workstation has gone */
    return byte;
}

static uint32_t sent(void *context)
{
    uint8_t bytes[256];
    uint32_t length;
    (void)context;
    while ((length = ys_serial_take(&target.serial, bytes, sizeof bytes)) > 0) {
        if (write(target.hci, bytes, length) != (ssize_t)length)
            exit(0);
        target.sent += length;
    }
    return target.sent;
}

static bool await(void *context, uint32_t count)
{
    uint8_t bytes[256];
    (void)context;
    while (target.received != count) {
        uint32_t left = count - target.received;
        ssize_t got = read(target.hci, bytes, left < sizeof bytes ? left : sizeof bytes);
        if (got <= 0)
            exit(0);
        (void)ys_serial_put(&target.serial, bytes, (uint32_t)got);
        target.received += (uint32_t)got;
    }
    return true;
}

static void nothing(void *context)
{
    (void)context;
}

static void send_packet(void *context, const uint8_t *packet, size_t length)
{
    (void)context;
    ys_serial_send(&target.serial, packet, length);
}

static const uint8_t *receive(void *context, size_t *length)
{
    (void)context;
    return ys_serial_receive(&target.serial, length);
}

static uint32_t now_ms(void *context)
{
    (void)context;
    return (uint32_t)(ys_step_now_us(&target.step) / 1000);
}

static bool encrypt(void *context, const uint8_t *key, const uint8_t *plain, uint8_t *cipher)
{
    (void)context;
    ys_aes_encrypt(key, plain, cipher);
    return true;
}

static bool draw(void *context, void *bytes, size_t length)
{
    (void)context;
    return ys_borrow_random(&target.borrowed, bytes, length);
}

static void log_line(void *context, const char *text, uint32_t value)
{
    (void)context;
    ys_step_log(&target.step, text, value);
}

static uint32_t ticks(void *context)
{
    static uint32_t count;
    (void)context;
    return count += 3;
}

static uint32_t stack(void *context, uint32_t *size)
{
    (void)context;
    *size = 2000;
    return 1234;
}

static const struct ys_port port = {
    .send = send_packet,
    .receive = receive,
    .now_ms = now_ms,
    .random = draw,
    .enter_critical = nothing,
    .leave_critical = nothing,
    .encrypt = encrypt,
    .log = log_line,
};

static void on_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    ys_step_event(&target.step, host, event);
    ys_module.firmware->on_event(host, context, event);
}

static void begin_line(void)
{
    target.serial_settings = (struct ys_serial_settings){.in = target.in,
                                                         .in_size = BUFFER,
                                                         .out = target.out,
                                                         .out_size = BUFFER,
                                                         .packet = target.packet,
                                                         .packet_size = sizeof target.packet,
                                                         .begin = nothing};
    (void)ys_serial_init(&target.serial, &target.serial_settings);
    target.settings = (struct ys_step_settings){.firmware = ys_module.firmware,
                                                .stamp = YS_TABLE_STAMP,
                                                .put = put,
                                                .get = get,
                                                .sent = sent,
                                                .await = await,
                                                .ticks = ticks,
                                                .ticks_per_us = 25,
                                                .stack = stack,
                                                .memory = target.memory,
                                                .memory_size = sizeof target.memory};
}

static void run_wrench(void)
{
    const struct ys_firmware *firmware = ys_module.firmware;
    begin_line();
    if (!ys_step_begin(&target.step, &target.settings))
        exit(1);
    ys_borrow_init(&target.borrowed, encrypt, NULL);
    const struct ys_host_settings settings = {.port = &port,
                                              .table = ys_step_watch(&target.step, &target.host),
                                              .context = firmware->context,
                                              .on_event = on_event,
                                              .address_type = YS_OWN_STATIC};
    if (ys_host_init(&target.host, sizeof target.host, &settings) != YS_OK)
        exit(1);
    ys_host_use_commands(&target.host, &target.commands);
    ys_borrow_use(&target.host, &target.commands, &target.borrowed);
    firmware->start(firmware->context, &target.host);
    ys_host_start(&target.host);
    for (;;)
        ys_step_sleep(&target.step, ys_host_run(&target.host));
}

/* Each that misbehaves, and what it says in which moment. */

static void say_hello(void)
{
    char line[40];
    (void)snprintf(line, sizeof line, "H01%08x00000019\nItrigger\nB\n", YS_TABLE_STAMP);
    say(line);
}

/* Waits until it is told to work. */
static void wait_for_work(void)
{
    char letter = '\n';
    char before;
    do { /* the line that begins with W is the last */
        before = letter;
        if (read(target.text, &letter, 1) != 1)
            exit(0);
    } while (before != '\n' || letter != 'W');
}

/* Reports nothing when it is asked. */
static void wait_for_end(void)
{
    char letter;
    while (read(target.text, &letter, 1) == 1) {
        if (letter == 'Q')
            say("Q\n");
    }
}

#define SLEEPS "Sffffffffffffffff00000000\n"

static const struct {
    const char *machine;
    bool hello;
    const char *says; /* when it works for the first time */
    bool ends;
} fakes[] = {
    {"dies", true, NULL, true},
    {"silent", false, NULL, false},
    {"busy", true, NULL, false},
    {"sleeper", true, SLEEPS, false},
    {"babbler", false, "hello world\n", false},
    {"other-version", false, "H029999999900000019\n", false},
    {"stranger", false, "H010000000100000019\n", false},
    {"nonsense", true, "Zwhat is this\n", false},
    {"short", true, "S12\n", false},
    {"restless", true, "H01\n", false},
    {"deaf", true, "O\n", false},
    {"liar", true, "Sffffffffffffffff00000010\n", false},
    {"event", true, "E2801\n" SLEEPS, false},
    {"log", true, "Lzz\n" SLEEPS, false},
    {"flash", true, "Pffffffff00\n" SLEEPS, false},
    {"faulty", true,
     "F00000001000000020000000300000004000000050000000600000007000000080000000900000010000000110000001200000013"
     "2000080000001234000012346100000000000400\n",
     false},
};

static void take_descriptor(const char *argument, const char *before, int *descriptor)
{
    size_t length = strlen(before);
    if (strncmp(argument, before, length) == 0)
        *descriptor = (int)strtol(argument + length, NULL, 10);
}

int main(int argc, char **argv)
{
    const char *machine = "";
    (void)signal(SIGPIPE, SIG_IGN);
    for (int i = 1; i < argc; i++) {
        if (strcmp(argv[i], "-machine") == 0 && i + 1 < argc)
            machine = argv[i + 1];
        take_descriptor(argv[i], "socket,id=line,fd=", &target.hci);
        take_descriptor(argv[i], "socket,id=step,fd=", &target.text);
    }
    for (size_t i = 0; i < sizeof fakes / sizeof fakes[0]; i++) {
        if (strcmp(fakes[i].machine, machine) != 0)
            continue;
        if (fakes[i].hello) {
            say_hello();
            wait_for_work();
        }
        if (fakes[i].says != NULL)
            say(fakes[i].says);
        if (fakes[i].ends) {
            (void)fprintf(stderr, "the emulator has no memory\n");
            return 3;
        }
        wait_for_end();
        return 0;
    }
    if (strcmp(machine, "unprintable") == 0) {
        char line[60];
        (void)snprintf(line, sizeof line, "H01%08x00000019\nItrig\033[2Jger\nB\n", YS_TABLE_STAMP);
        say(line);
        wait_for_end();
    }
    if (strcmp(machine, "flood") == 0) {
        say_hello();
        wait_for_work();
        for (;;)
            say("L00000001again\n");
    }
    if (strcmp(machine, "no-hci") == 0) {
        say_hello();
        wait_for_work();
        (void)!write(target.hci, "hello", 5);
        say("Sffffffffffffffff00000005\n");
        wait_for_end();
    }
    run_wrench();
}
