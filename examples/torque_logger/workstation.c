/* The Torvane L1 on a workstation, as a module for scenes. */
#include <yarnswift/workstation.h>

#include "logger.h"

static struct logger logger;

static void start(void *context, struct ys_host *host)
{
    logger_init(context, host);
}

static const struct ys_firmware firmware = {
    .table = &torque_logger_table,
    .context = &logger,
    .start = start,
    .on_event = logger_event,
};

YS_MODULE(firmware);
