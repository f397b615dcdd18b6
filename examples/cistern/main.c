/* A host in a system with threads. Three of them:
 *
 *   the host's    turns the host, and with it handlers, events and work; nobody else calls the host, but for
 *                 ys_host_changed, ys_stream_append and ys_work_ask, which are there for that
 *   application   measures, runs the pump, and talks with the host's by letters
 *   main          waits for the end
 *
 * What a port needs of the system is a mutex for its critical sections, and something to wait at that others can
 * signal. Here controller, air and central are simulated, in the thread of the host; on hardware its thread would also
 * be woken by the driver of the serial line.
 *
 * Exit status: 0 the central saw the water rise, switched the pump on, and saw it fall. */
#include <stdio.h>
#include <time.h>

#include "central.h"
#include "cistern.h"
#include "cistern_table.h"
#include "simulated/simulated.h"

#define LASTS_NS UINT64_C(3000000000)
#define TICK_MS  1 /* the simulated controller is looked after so often */
#define NS_A_S   1000000000
#define NS_A_MS  UINT64_C(1000000)

/* What the host's thread and others share. */
static struct {
    pthread_mutex_t critical; /* around a few instructions of the host */
    pthread_mutex_t mutex;    /* of what follows */
    pthread_cond_t signal;
    bool woken;
    bool ends;
} shared = {
    .critical = PTHREAD_MUTEX_INITIALIZER, .mutex = PTHREAD_MUTEX_INITIALIZER, .signal = PTHREAD_COND_INITIALIZER};

static struct cistern cistern;
static struct central central;

/* the port, as far as it is about threads */

static void enter_critical(void *context)
{
    (void)context;
    (void)pthread_mutex_lock(&shared.critical);
}

static void leave_critical(void *context)
{
    (void)context;
    (void)pthread_mutex_unlock(&shared.critical);
}

/* From any thread. */
static void wake(void *context)
{
    (void)context;
    (void)pthread_mutex_lock(&shared.mutex);
    shared.woken = true;
    (void)pthread_cond_signal(&shared.signal);
    (void)pthread_mutex_unlock(&shared.mutex);
}

static uint64_t real_ns(clockid_t clock)
{
    struct timespec now;
    (void)clock_gettime(clock, &now);
    return (uint64_t)now.tv_sec * NS_A_S + (uint64_t)now.tv_nsec;
}

/* Sleeps until somebody wakes the host, or so long; false at the end. */
static bool wait_for_work(uint32_t ms)
{
    uint64_t until_ns = real_ns(CLOCK_REALTIME) + (ms < TICK_MS ? ms : TICK_MS) * NS_A_MS;
    const struct timespec until = {.tv_sec = (time_t)(until_ns / NS_A_S), .tv_nsec = (long)(until_ns % NS_A_S)};
    (void)pthread_mutex_lock(&shared.mutex);
    while (!shared.woken && !shared.ends && pthread_cond_timedwait(&shared.signal, &shared.mutex, &until) == 0)
        ;
    shared.woken = false;
    bool ends = shared.ends;
    (void)pthread_mutex_unlock(&shared.mutex);
    return !ends;
}

/* the thread of the host */

static bool begin(struct ys_host *host, const struct ys_port *port, const struct ys_table *table,
                  ys_event_handler *on_event, void *context)
{
    const struct ys_host_settings settings = {
        .port = port, .table = table, .context = context, .on_event = on_event, .address_type = YS_OWN_STATIC};
    enum ys_result result = ys_host_init(host, sizeof *host, &settings);
    if (result != YS_OK)
        (void)fprintf(stderr, "cistern: %s\n", ys_result_text(result));
    return result == YS_OK;
}

static void *host_run(void *context)
{
    struct ys_clock *clock = context;
    uint64_t began_ns = real_ns(CLOCK_MONOTONIC);
    uint32_t wait_ms;
    ys_host_start(&cistern.host);
    do {
        ys_clock_run(clock, real_ns(CLOCK_MONOTONIC) - began_ns); /* on hardware the controller does so by itself */
        wait_ms = ys_host_run(&cistern.host);
    } while (wait_for_work(wait_ms));
    return NULL;
}

/* the main thread */

static int run(struct ys_clock *clock, struct application *application)
{
    const struct timespec lasts = {.tv_sec = LASTS_NS / NS_A_S};
    pthread_t host_thread;
    pthread_t application_thread;
    if (pthread_create(&host_thread, NULL, host_run, clock) != 0)
        return 2;
    bool measures = pthread_create(&application_thread, NULL, application_run, application) == 0;
    if (measures) {
        (void)nanosleep(&lasts, NULL);
        (void)mailbox_put(&application->letters, (struct message){STOP, 0});
        (void)pthread_join(application_thread, NULL);
    }
    (void)pthread_mutex_lock(&shared.mutex);
    shared.ends = true;
    (void)pthread_cond_signal(&shared.signal);
    (void)pthread_mutex_unlock(&shared.mutex);
    (void)pthread_join(host_thread, NULL);
    (void)printf("%u levels came, up to %u mm; the last was %u mm\n", central.values, central.highest_mm,
                 central.last_mm);
    return central.pumps && !central.failed && central.values > 10 && central.last_mm < central.highest_mm ? 0 : 1;
}

int main(void)
{
    struct ys_clock *clock = ys_clock_new();
    struct ys_radio *radio = ys_radio_new(clock);
    struct ys_simulated *own = ys_simulated_new(radio, &(struct ys_simulated_settings){.number = 1, .seed = 1});
    struct ys_simulated *other = ys_simulated_new(radio, &(struct ys_simulated_settings){.number = 2, .seed = 1});
    static struct application application = {.cistern = &cistern};
    int status = 2;
    if (own != NULL && other != NULL) {
        struct ys_port port = *ys_simulated_port(own);
        port.enter_critical = enter_critical;
        port.leave_critical = leave_critical;
        port.wake = wake;
        mailbox_init(&application.letters);
        if (begin(&cistern.host, &port, &cistern_table, cistern_event, &cistern) &&
            begin(&central.host, ys_simulated_port(other), &ys_table_bare, central_event, &central)) {
            cistern_init(&cistern, &application.letters);
            ys_simulated_attach(other, &central.host, ys_host_run);
            ys_host_start(&central.host);
            status = run(clock, &application);
        }
    }
    ys_simulated_free(own);
    ys_simulated_free(other);
    ys_radio_free(radio);
    ys_clock_free(clock);
    return status;
}
