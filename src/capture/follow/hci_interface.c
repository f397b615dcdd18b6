/* The interface between a host and its controller. */
#include "capture/follow/hci_interface.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "wire/hci_extended.h"
#include "wire/hci_link.h"

struct ys_hci_interface *ys_hci_interface_new(uint16_t device, const char *name)
{
    struct ys_hci_interface *interface = calloc(1, sizeof *interface);
    if (interface == NULL)
        return NULL;
    interface->device = device;
    if (name != NULL)
        (void)snprintf(interface->name, sizeof interface->name, "%s", name);
    else
        (void)snprintf(interface->name, sizeof interface->name, "host %u", device);
    return interface;
}

static void clear(struct ys_hci_interface_link *link)
{
    ys_dialogue_clear(&link->dialogue);
    *link = (struct ys_hci_interface_link){.used = false};
}

void ys_hci_interface_free(struct ys_hci_interface *interface)
{
    if (interface == NULL)
        return;
    for (size_t i = 0; i < YS_HCI_LINKS; i++)
        clear(&interface->links[i]);
    free(interface);
}

/* connections */

static struct ys_hci_interface_link *find(struct ys_hci_interface *interface, uint16_t handle)
{
    for (size_t i = 0; i < YS_HCI_LINKS; i++) {
        if (interface->links[i].used && interface->links[i].handle == handle)
            return &interface->links[i];
    }
    return NULL;
}

/* A connection with this handle, anew; one that is not known to have ended gives way if there is no room. */
static struct ys_hci_interface_link *add(struct ys_hci_interface *interface, uint16_t handle)
{
    struct ys_hci_interface_link *link = find(interface, handle);
    for (size_t i = 0; i < YS_HCI_LINKS && link == NULL; i++) {
        if (!interface->links[i].used)
            link = &interface->links[i];
    }
    if (link == NULL)
        link = &interface->links[handle % YS_HCI_LINKS];
    clear(link);
    link->used = true;
    link->handle = handle;
    link->role = 0xff;
    link->dialogue.mtu = YS_ATT_MTU_DEFAULT;
    link->dialogue.speakers[link->own_side].party = interface->own;
    return link;
}

static void connected(struct ys_hci_interface *interface, struct ys_parties *parties,
                      const struct ys_hci_connection *connection)
{
    if (connection->status != YS_HCI_OK)
        return;
    struct ys_hci_interface_link *link = add(interface, connection->handle);
    struct ys_address peer = connection->peer;
    if (connection->peer_is_made)
        peer = connection->peer_made;
    link->begun = true;
    link->role = connection->role;
    link->own_side = connection->role != 0;
    link->peer = ys_party_of(parties, &peer);
    link->dialogue.mtu_is_sure = true;
    if (connection->own_is_made) {
        struct ys_party *made = ys_party_of(parties, &connection->own_made);
        if (made != NULL)
            ys_party_name(made, 2, interface->name, strlen(interface->name));
    }
    link->dialogue.speakers[link->own_side].party = interface->own;
    link->dialogue.speakers[!link->own_side].party = link->peer;
}

static void own_address(struct ys_hci_interface *interface, struct ys_parties *parties, uint8_t type,
                        struct ys_reader *reader)
{
    struct ys_address address = {.type = type};
    ys_get_address(reader, &address);
    struct ys_party *own = ys_reader_ok(reader) ? ys_party_of(parties, &address) : NULL;
    if (own == NULL)
        return;
    interface->own = own;
    ys_party_name(own, 2, interface->name, strlen(interface->name));
}

/* commands */

static void take_key(struct ys_keys *keys, struct ys_reader reader, size_t before)
{
    uint8_t key[16];
    (void)ys_get_bytes(&reader, before);
    ys_get_copy(&reader, key, sizeof key);
    if (ys_reader_ok(&reader))
        ys_keys_add(keys, key);
}

static void take_command(struct ys_hci_interface *interface, struct ys_parties *parties, struct ys_keys *keys,
                         const struct ys_record *record, struct ys_hci_seen *seen)
{
    struct ys_reader reader = ys_reader_of(record->bytes + 1, record->length - 1);
    struct ys_hci_command command;
    seen->good = ys_get_hci_command(&reader, &command);
    if (!seen->good)
        return;
    seen->opcode = command.opcode;
    seen->parameters = command.parameters;
    interface->asked = command.opcode;
    interface->asked_ns = record->at_ns;
    struct ys_reader parameters = command.parameters;
    switch (command.opcode) {
    case YS_HCI_LE_SET_RANDOM_ADDRESS:
        own_address(interface, parties, YS_ADDRESS_RANDOM, &parameters);
        break;
    case YS_HCI_LE_SET_SET_ADDRESS:
        (void)ys_get_u8(&parameters);
        own_address(interface, parties, YS_ADDRESS_RANDOM, &parameters);
        break;
    case YS_HCI_LE_ENABLE_ENCRYPTION:
        take_key(keys, parameters, 12);
        break;
    case YS_HCI_LE_KEY_REPLY:
        take_key(keys, parameters, 2);
        break;
    case YS_HCI_RESET:
        for (size_t i = 0; i < YS_HCI_LINKS; i++)
            clear(&interface->links[i]);
        break;
    default:
        break;
    }
}

/* events */

static void take_le_event(struct ys_hci_interface *interface, struct ys_parties *parties, struct ys_hci_seen *seen)
{
    seen->subevent = ys_get_u8(&seen->parameters);
    struct ys_reader parameters = seen->parameters;
    struct ys_hci_connection connection = {.status = YS_HCI_UNSPECIFIED};
    switch (seen->subevent) {
    case YS_HCI_LE_CONNECTION_COMPLETE:
        ys_get_hci_connection(&parameters, &connection);
        break;
    case YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE:
        ys_get_hci_enhanced_connection(&parameters, &connection);
        break;
    case YS_HCI_LE_CONNECTION_UPDATE_COMPLETE:
    case YS_HCI_LE_REMOTE_FEATURES_COMPLETE:
    case YS_HCI_LE_PHY_UPDATE_COMPLETE:
        seen->status = ys_get_u8(&parameters);
        return;
    default:
        return;
    }
    seen->status = connection.status;
    if (ys_reader_ok(&parameters))
        connected(interface, parties, &connection);
}

static void take_answer(struct ys_hci_interface *interface, struct ys_parties *parties, struct ys_hci_seen *seen)
{
    if (seen->event == YS_HCI_COMMAND_STATUS)
        seen->status = ys_get_u8(&seen->parameters);
    (void)ys_get_u8(&seen->parameters); /* how many commands may come */
    seen->opcode = ys_get_u16(&seen->parameters);
    if (seen->event == YS_HCI_COMMAND_COMPLETE && ys_reader_left(&seen->parameters) > 0)
        seen->status = ys_get_u8(&seen->parameters);
    struct ys_reader parameters = seen->parameters;
    if (seen->event == YS_HCI_COMMAND_COMPLETE && seen->opcode == YS_HCI_READ_ADDRESS && seen->status == YS_HCI_OK &&
        interface->own == NULL)
        own_address(interface, parties, YS_ADDRESS_PUBLIC, &parameters);
    if (interface->asked == seen->opcode)
        interface->asked = 0;
}

static void take_event(struct ys_hci_interface *interface, struct ys_parties *parties, const struct ys_record *record,
                       struct ys_hci_seen *seen)
{
    struct ys_reader reader = ys_reader_of(record->bytes + 1, record->length - 1);
    seen->good = ys_get_hci_event(&reader, &seen->event, &seen->parameters);
    if (!seen->good)
        return;
    if (seen->event == YS_HCI_LE_META) {
        take_le_event(interface, parties, seen);
    } else if (seen->event == YS_HCI_COMMAND_COMPLETE || seen->event == YS_HCI_COMMAND_STATUS) {
        take_answer(interface, parties, seen);
    } else if (seen->event == YS_HCI_DISCONNECTION_COMPLETE || seen->event == YS_HCI_ENCRYPTION_CHANGE ||
               seen->event == YS_HCI_KEY_REFRESH_COMPLETE) {
        struct ys_reader parameters = seen->parameters;
        seen->status = ys_get_u8(&parameters);
        struct ys_hci_interface_link *link = find(interface, ys_get_u16(&parameters) & 0x0fff);
        if (link != NULL && seen->event == YS_HCI_DISCONNECTION_COMPLETE && seen->status == YS_HCI_OK)
            clear(link);
    }
}

/* data */

static void take_data(struct ys_hci_interface *interface, const struct ys_record *record, struct ys_hci_seen *seen)
{
    struct ys_reader reader = ys_reader_of(record->bytes + 1, record->length - 1);
    struct ys_hci_data data;
    ys_get_hci_data(&reader, &data);
    seen->good = ys_reader_ok(&reader) && data.length == ys_reader_left(&reader);
    if (!seen->good)
        return;
    seen->boundary = data.boundary;
    seen->length = data.length;
    seen->payload = ys_get_bytes(&reader, data.length);
    seen->link = find(interface, data.handle);
    if (seen->link == NULL)
        seen->link = add(interface, data.handle);
    const struct ys_piece piece = {.side = record->to_host ? !seen->link->own_side : seen->link->own_side,
                                   .first = data.boundary != YS_HCI_CONTINUING,
                                   .bytes = seen->payload,
                                   .length = seen->length,
                                   .at_ns = record->at_ns,
                                   .record = record->number};
    ys_dialogue_take(&seen->link->dialogue, &piece, &seen->said);
}

void ys_hci_interface_hole(struct ys_hci_interface *interface)
{
    interface->asked = 0;
    for (size_t i = 0; i < YS_HCI_LINKS; i++) {
        if (interface->links[i].used)
            ys_dialogue_hole(&interface->links[i].dialogue);
    }
}

void ys_hci_interface_take(struct ys_hci_interface *interface, const struct ys_record *record,
                           struct ys_parties *parties, struct ys_keys *keys, struct ys_hci_seen *seen)
{
    *seen = (struct ys_hci_seen){.type = record->bytes[0]};
    seen->parameters = ys_reader_of(record->bytes, 0);
    if (seen->type == YS_HCI_COMMAND)
        take_command(interface, parties, keys, record, seen);
    else if (seen->type == YS_HCI_EVENT)
        take_event(interface, parties, record, seen);
    else
        take_data(interface, record, seen);
}
