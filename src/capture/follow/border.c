/* The border between a host and its controller. */
#include "capture/follow/border.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "wire/hci_extended.h"
#include "wire/hci_link.h"

struct ys_border *ys_border_new(uint16_t device, const char *name)
{
    struct ys_border *border = calloc(1, sizeof *border);
    if (border == NULL)
        return NULL;
    border->device = device;
    if (name != NULL)
        (void)snprintf(border->name, sizeof border->name, "%s", name);
    else
        (void)snprintf(border->name, sizeof border->name, "host %u", device);
    return border;
}

static void clear(struct ys_border_link *link)
{
    ys_dialogue_clear(&link->dialogue);
    *link = (struct ys_border_link){.used = false};
}

void ys_border_free(struct ys_border *border)
{
    if (border == NULL)
        return;
    for (size_t i = 0; i < YS_BORDER_LINKS; i++)
        clear(&border->links[i]);
    free(border);
}

/* connections */

static struct ys_border_link *find(struct ys_border *border, uint16_t handle)
{
    for (size_t i = 0; i < YS_BORDER_LINKS; i++) {
        if (border->links[i].used && border->links[i].handle == handle)
            return &border->links[i];
    }
    return NULL;
}

/* A connection with this handle, anew; one that is not known to have ended gives way if there is no room. */
static struct ys_border_link *add(struct ys_border *border, uint16_t handle)
{
    struct ys_border_link *link = find(border, handle);
    for (size_t i = 0; i < YS_BORDER_LINKS && link == NULL; i++) {
        if (!border->links[i].used)
            link = &border->links[i];
    }
    if (link == NULL)
        link = &border->links[handle % YS_BORDER_LINKS];
    clear(link);
    link->used = true;
    link->handle = handle;
    link->role = 0xff;
    link->dialogue.mtu = YS_ATT_MTU_DEFAULT;
    link->dialogue.speakers[link->own_side].party = border->own;
    return link;
}

static void connected(struct ys_border *border, struct ys_parties *parties, const struct ys_hci_connection *connection)
{
    if (connection->status != YS_HCI_OK)
        return;
    struct ys_border_link *link = add(border, connection->handle);
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
            ys_party_name(made, 2, border->name, strlen(border->name));
    }
    link->dialogue.speakers[link->own_side].party = border->own;
    link->dialogue.speakers[!link->own_side].party = link->peer;
}

static void own_address(struct ys_border *border, struct ys_parties *parties, uint8_t type, struct ys_reader *reader)
{
    struct ys_address address = {.type = type};
    ys_get_address(reader, &address);
    struct ys_party *own = ys_reader_ok(reader) ? ys_party_of(parties, &address) : NULL;
    if (own == NULL)
        return;
    border->own = own;
    ys_party_name(own, 2, border->name, strlen(border->name));
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

static void take_command(struct ys_border *border, struct ys_parties *parties, struct ys_keys *keys,
                         const struct ys_record *record, struct ys_border_seen *seen)
{
    struct ys_reader reader = ys_reader_of(record->bytes + 1, record->length - 1);
    struct ys_hci_command command;
    seen->good = ys_get_hci_command(&reader, &command);
    if (!seen->good)
        return;
    seen->opcode = command.opcode;
    seen->parameters = command.parameters;
    border->asked = command.opcode;
    border->asked_ns = record->at_ns;
    struct ys_reader parameters = command.parameters;
    switch (command.opcode) {
    case YS_HCI_LE_SET_RANDOM_ADDRESS:
        own_address(border, parties, YS_ADDRESS_RANDOM, &parameters);
        break;
    case YS_HCI_LE_SET_SET_ADDRESS:
        (void)ys_get_u8(&parameters);
        own_address(border, parties, YS_ADDRESS_RANDOM, &parameters);
        break;
    case YS_HCI_LE_ENABLE_ENCRYPTION:
        take_key(keys, parameters, 12);
        break;
    case YS_HCI_LE_KEY_REPLY:
        take_key(keys, parameters, 2);
        break;
    case YS_HCI_RESET:
        for (size_t i = 0; i < YS_BORDER_LINKS; i++)
            clear(&border->links[i]);
        break;
    default:
        break;
    }
}

/* events */

static void take_le_event(struct ys_border *border, struct ys_parties *parties, struct ys_border_seen *seen)
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
        connected(border, parties, &connection);
}

static void take_answer(struct ys_border *border, struct ys_parties *parties, struct ys_border_seen *seen)
{
    if (seen->event == YS_HCI_COMMAND_STATUS)
        seen->status = ys_get_u8(&seen->parameters);
    (void)ys_get_u8(&seen->parameters); /* how many commands may come */
    seen->opcode = ys_get_u16(&seen->parameters);
    if (seen->event == YS_HCI_COMMAND_COMPLETE && ys_reader_left(&seen->parameters) > 0)
        seen->status = ys_get_u8(&seen->parameters);
    struct ys_reader parameters = seen->parameters;
    if (seen->event == YS_HCI_COMMAND_COMPLETE && seen->opcode == YS_HCI_READ_ADDRESS && seen->status == YS_HCI_OK &&
        border->own == NULL)
        own_address(border, parties, YS_ADDRESS_PUBLIC, &parameters);
    if (border->asked == seen->opcode)
        border->asked = 0;
}

static void take_event(struct ys_border *border, struct ys_parties *parties, const struct ys_record *record,
                       struct ys_border_seen *seen)
{
    struct ys_reader reader = ys_reader_of(record->bytes + 1, record->length - 1);
    seen->good = ys_get_hci_event(&reader, &seen->event, &seen->parameters);
    if (!seen->good)
        return;
    if (seen->event == YS_HCI_LE_META) {
        take_le_event(border, parties, seen);
    } else if (seen->event == YS_HCI_COMMAND_COMPLETE || seen->event == YS_HCI_COMMAND_STATUS) {
        take_answer(border, parties, seen);
    } else if (seen->event == YS_HCI_DISCONNECTION_COMPLETE || seen->event == YS_HCI_ENCRYPTION_CHANGE ||
               seen->event == YS_HCI_KEY_REFRESH_COMPLETE) {
        struct ys_reader parameters = seen->parameters;
        seen->status = ys_get_u8(&parameters);
        struct ys_border_link *link = find(border, ys_get_u16(&parameters) & 0x0fff);
        if (link != NULL && seen->event == YS_HCI_DISCONNECTION_COMPLETE && seen->status == YS_HCI_OK)
            clear(link);
    }
}

/* data */

static void take_data(struct ys_border *border, const struct ys_record *record, struct ys_border_seen *seen)
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
    seen->link = find(border, data.handle);
    if (seen->link == NULL)
        seen->link = add(border, data.handle);
    const struct ys_piece piece = {.side = record->to_host ? !seen->link->own_side : seen->link->own_side,
                                   .first = data.boundary != YS_HCI_CONTINUING,
                                   .bytes = seen->payload,
                                   .length = seen->length,
                                   .at_ns = record->at_ns,
                                   .record = record->number};
    ys_dialogue_take(&seen->link->dialogue, &piece, &seen->said);
}

void ys_border_hole(struct ys_border *border)
{
    border->asked = 0;
    for (size_t i = 0; i < YS_BORDER_LINKS; i++) {
        if (border->links[i].used)
            ys_dialogue_hole(&border->links[i].dialogue);
    }
}

void ys_border_take(struct ys_border *border, const struct ys_record *record, struct ys_parties *parties,
                    struct ys_keys *keys, struct ys_border_seen *seen)
{
    *seen = (struct ys_border_seen){.type = record->bytes[0]};
    seen->parameters = ys_reader_of(record->bytes, 0);
    if (seen->type == YS_HCI_COMMAND)
        take_command(border, parties, keys, record, seen);
    else if (seen->type == YS_HCI_EVENT)
        take_event(border, parties, record, seen);
    else
        take_data(border, record, seen);
}
