/* A host that is outside. */
#include "world/plug.h"

#include <stdlib.h>
#include <string.h>

#include "wire/hci.h"
#include "wire/hci_extended.h"

struct ys_plug {
    struct ys_firmware firmware;
    struct ys_module module;
    const struct ys_port *port; /* NULL: its controller has no power */
    ys_plug_fn *carry;
    void *carrier;
    struct ys_address address; /* that it has set last */
    bool is_there;
};

/* All that is here of its host. */
struct outside {
    struct ys_plug *plug;
};

static enum ys_result init(struct ys_host *host, size_t size, const struct ys_host_settings *settings)
{
    struct ys_plug *plug = settings->context;
    (void)size;
    ((struct outside *)(void *)host)->plug = plug;
    plug->port = settings->port;
    return YS_OK;
}

static void start(struct ys_host *host)
{
    (void)host;
}

static uint32_t run(struct ys_host *host)
{
    const struct ys_plug *plug = ((const struct outside *)(void *)host)->plug;
    const uint8_t *packet;
    size_t length;
    while ((packet = plug->port->receive(plug->port->context, &length)) != NULL) {
        if (plug->carry != NULL)
            plug->carry(plug->carrier, packet, length);
    }
    return YS_FOREVER;
}

static struct ys_address address(const struct ys_host *host)
{
    return ((const struct outside *)(const void *)host)->plug->address;
}

struct ys_plug *ys_plug_new(void)
{
    struct ys_plug *plug = calloc(1, sizeof *plug);
    if (plug == NULL)
        return NULL;
    plug->firmware = (struct ys_firmware){.table = &ys_table_bare, .context = plug};
    plug->module = (struct ys_module){.version = YS_MODULE_VERSION,
                                      .connections = YS_CONNECTIONS,
                                      .event_size = sizeof(struct ys_event),
                                      .host_size = sizeof(struct outside),
                                      .firmware = &plug->firmware,
                                      .init = init,
                                      .start = start,
                                      .run = run,
                                      .address = address};
    return plug;
}

void ys_plug_free(struct ys_plug *plug)
{
    free(plug);
}

const struct ys_module *ys_plug_module(const struct ys_plug *plug)
{
    return &plug->module;
}

void ys_plug_carry(struct ys_plug *plug, ys_plug_fn *carry, void *context)
{
    plug->carry = carry;
    plug->carrier = context;
}

/* By which address it will be known on the air. */
static void look_for_address(struct ys_plug *plug, const uint8_t *packet, size_t length)
{
    struct ys_reader reader = ys_reader_of(packet, length);
    struct ys_hci_command command;
    struct ys_address own = {.type = YS_ADDRESS_RANDOM};
    if (ys_get_u8(&reader) != YS_HCI_COMMAND || !ys_get_hci_command(&reader, &command))
        return;
    if (command.opcode == YS_HCI_LE_SET_SET_ADDRESS)
        (void)ys_get_u8(&command.parameters); /* of which set */
    else if (command.opcode != YS_HCI_LE_SET_RANDOM_ADDRESS)
        return;
    ys_get_address(&command.parameters, &own);
    if (ys_reader_ok(&command.parameters))
        plug->address = own;
}

void ys_plug_send(struct ys_plug *plug, const uint8_t *packet, size_t length)
{
    plug->is_there = true;
    look_for_address(plug, packet, length);
    if (plug->port != NULL)
        plug->port->send(plug->port->context, packet, length);
}

void ys_plug_stop(struct ys_plug *plug)
{
    plug->port = NULL;
}

void ys_plug_assume(struct ys_plug *plug, const struct ys_address *address)
{
    if (!plug->is_there)
        plug->address = *address;
}

bool ys_plug_has_address(const struct ys_plug *plug)
{
    static const uint8_t none[6];
    return memcmp(plug->address.bytes, none, sizeof none) != 0;
}

bool ys_plug_is_there(const struct ys_plug *plug)
{
    return plug->is_there;
}
