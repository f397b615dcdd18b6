/* The side of the host: handlers and events, which all run in its thread. What it knows of the water it has from
 * letters of the application; what a central asks for it tells by letters. */
#include "cistern.h"

#include "cistern_table.h"

/* Letters have come. From ys_host_run. */
static void read_letters(struct ys_host *host, void *context)
{
    struct cistern *cistern = context;
    struct message letter;
    while (mailbox_take(&cistern->letters, &letter)) {
        if (letter.topic != LEVEL)
            continue;
        cistern->level_mm = letter.value;
        ys_host_changed(host, CISTERN_LEVEL);
    }
}

void cistern_init(struct cistern *cistern, struct mailbox *to_application)
{
    mailbox_init(&cistern->letters);
    ys_work_init(&cistern->host, &cistern->mail, read_letters, cistern);
    cistern->to_application = to_application;
}

void cistern_event(struct ys_host *host, void *context, const struct ys_event *event)
{
    (void)context;
    if (event->kind == YS_EVENT_READY)
        (void)ys_advertise(host, &cistern_advertising);
}

uint8_t cistern_level_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct cistern *cistern = access->context;
    ys_put_u16(value, cistern->level_mm);
    return YS_ATT_OK;
}

uint8_t cistern_pump_read(const struct ys_access *access, struct ys_writer *value)
{
    const struct cistern *cistern = access->context;
    ys_put_u8(value, cistern->pumps);
    return YS_ATT_OK;
}

uint8_t cistern_pump_write(const struct ys_access *access, struct ys_reader *value)
{
    struct cistern *cistern = access->context;
    bool pumps = ys_get_u8(value) != 0;
    if (!mailbox_put(cistern->to_application, (struct message){PUMP, pumps}))
        return YS_ATT_INSUFFICIENT_RESOURCES; /* the application is far behind: the central may try again */
    cistern->pumps = pumps;
    return YS_ATT_OK;
}
