/* The commands of extended advertising (Core 5.4 Vol 4 Part E 7.8.52 to 7.8.66): rows of a table, as in commands.c. */
#include "sim/commands_extended.h"

#include <stdlib.h>
#include <string.h>

#include "sim/advertiser.h"
#include "sim/commands.h"
#include "sim/controller_state.h"
#include "sim/extended_advertiser.h"
#include "sim/initiator.h"
#include "sim/reset.h"
#include "sim/scanner.h"

/* sets */

static struct advertiser *find_set(const struct ys_controller *controller, uint8_t handle)
{
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++) {
        if (controller->sets[i].known && controller->sets[i].parameters.handle == handle)
            return &controller->sets[i];
    }
    return NULL;
}

/* That of this handle, or a new one; NULL if there is no room for another. */
static struct advertiser *take_set(struct ys_controller *controller, uint8_t handle)
{
    struct advertiser *set = find_set(controller, handle);
    if (set != NULL)
        return set;
    if (controller->sets == NULL) {
        controller->sets = calloc(controller->settings.sets, sizeof *controller->sets);
        for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++)
            advertiser_init(&controller->sets[i], controller);
    }
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++) {
        if (!controller->sets[i].known)
            return &controller->sets[i];
    }
    return NULL;
}

/* Vol 4 Part E 7.8.52, 7.8.53. */
static uint8_t set_set_address(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct advertiser *set = find_set(controller, ys_get_u8(parameters));
    (void)answer;
    if (set == NULL)
        return YS_HCI_UNKNOWN_SET;
    if (set->on && (set->parameters.properties & YS_HCI_SET_CONNECTABLE) != 0)
        return YS_HCI_COMMAND_DISALLOWED;
    set->random_address.type = YS_ADDRESS_RANDOM;
    ys_get_address(parameters, &set->random_address);
    set->has_random_address = true;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.53: what a set can be. With legacy PDUs it is one of their five kinds; otherwise connectable and
 * scannable exclude each other, and what is anonymous can be neither. */
static bool properties_are_valid(uint16_t properties)
{
    static const uint16_t legacy[] = {
        YS_HCI_SET_CONNECTABLE | YS_HCI_SET_SCANNABLE,
        YS_HCI_SET_CONNECTABLE | YS_HCI_SET_DIRECTED,
        YS_HCI_SET_CONNECTABLE | YS_HCI_SET_DIRECTED | YS_HCI_SET_FAST,
        YS_HCI_SET_SCANNABLE,
        0,
    };
    if ((properties & YS_HCI_SET_LEGACY) != 0) {
        for (size_t i = 0; i < sizeof legacy / sizeof legacy[0]; i++) {
            if (properties == (legacy[i] | YS_HCI_SET_LEGACY))
                return true;
        }
        return false;
    }
    bool connectable = (properties & YS_HCI_SET_CONNECTABLE) != 0;
    bool scannable = (properties & YS_HCI_SET_SCANNABLE) != 0;
    bool anonymous = (properties & YS_HCI_SET_ANONYMOUS) != 0;
    return properties <= 0x7f && (properties & YS_HCI_SET_FAST) == 0 && !(connectable && scannable) &&
           !(anonymous && (connectable || scannable));
}

static bool set_is_valid(const struct ys_hci_set *set)
{
    bool fast = (set->properties & YS_HCI_SET_FAST) != 0;
    bool interval = fast || (set->interval_min >= 0x20 && set->interval_min <= set->interval_max);
    bool primary = set->primary_phy == YS_HCI_PHY_1M || set->primary_phy == YS_HCI_PHY_CODED;
    bool secondary = set->secondary_phy >= YS_HCI_PHY_1M && set->secondary_phy <= YS_HCI_PHY_CODED;
    if ((set->properties & YS_HCI_SET_LEGACY) != 0) {
        primary = set->primary_phy == YS_HCI_PHY_1M;
        secondary = true;
    }
    return set->handle <= 0xef && properties_are_valid(set->properties) && interval && (set->channels & 7) != 0 &&
           set->filter <= 3 && set->peer.type <= YS_ADDRESS_RANDOM && primary && secondary && set->set_id <= 15 &&
           set->tell_requests <= 1 && (set->power_dbm <= 20 || set->power_dbm == YS_HCI_POWER_NONE);
}

/* Vol 4 Part E 7.8.53 to 7.8.55: only what is scannable has a response; an extended one then has nothing else, a legacy
 * directed one nothing at all, and a connectable extended one a single packet. */
static bool data_fits(const struct advertiser *set)
{
    uint16_t properties = set->parameters.properties;
    bool legacy = (properties & YS_HCI_SET_LEGACY) != 0;
    bool scannable = (properties & YS_HCI_SET_SCANNABLE) != 0;
    bool directed = (properties & YS_HCI_SET_DIRECTED) != 0;
    if (!scannable && set->response.length > 0)
        return false;
    if (legacy)
        return set->data.length <= (directed ? 0 : YS_ADVERTISEMENT_MAX) &&
               set->response.length <= YS_ADVERTISEMENT_MAX;
    if (scannable)
        return set->data.length == 0;
    return (properties & YS_HCI_SET_CONNECTABLE) == 0 || set->data.length <= extended_data_max(set);
}

/* Whether a controller lacks a PHY of these bits. */
static bool lacks(const struct ys_controller *controller, unsigned phys)
{
    return (phys & 7 & ~(unsigned)controller_phys(controller)) != 0;
}

/* Vol 4 Part E 7.8.52, 7.8.53. */
static uint8_t set_parameters(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_hci_set wanted;
    ys_get_hci_set(parameters, &wanted);
    if (wanted.own_address_type > OWN_TYPE_MOST)
        return YS_HCI_UNSUPPORTED;
    if (!set_is_valid(&wanted))
        return YS_HCI_INVALID_PARAMETERS;
    bool extended = (wanted.properties & YS_HCI_SET_LEGACY) == 0;
    if (extended && lacks(controller, 1u << (wanted.primary_phy - 1) | 1u << (wanted.secondary_phy - 1)))
        return YS_HCI_UNSUPPORTED;
    struct advertiser *set = take_set(controller, wanted.handle);
    if (set == NULL)
        return YS_HCI_MEMORY_FULL;
    if (set->on)
        return YS_HCI_COMMAND_DISALLOWED;
    wanted.channels &= 7;
    if (wanted.power_dbm > controller->settings.power_dbm) /* none is wished, or more than there is */
        wanted.power_dbm = controller->settings.power_dbm;
    struct ys_hci_set before = set->parameters;
    set->parameters = wanted;
    if (!data_fits(set)) {
        set->parameters = before;
        return YS_HCI_INVALID_PARAMETERS;
    }
    set->known = true;
    set->by_sets = true;
    ys_put_i8(answer, wanted.power_dbm);
    return YS_HCI_OK;
}

/* Adds a fragment; the data counts once its last one has come (Vol 4 Part E 7.8.54, 7.8.55). */
static uint8_t take_fragment(struct advertiser *set, struct set_data *data, const struct ys_hci_fragment *fragment)
{
    bool first = fragment->operation == YS_HCI_FRAGMENT_FIRST || fragment->operation == YS_HCI_FRAGMENT_WHOLE;
    size_t before = first ? 0 : data->length;
    if (before + fragment->length > SET_DATA_MAX)
        return YS_HCI_MEMORY_FULL;
    if (data->bytes == NULL && (data->bytes = malloc(SET_DATA_MAX)) == NULL)
        return YS_HCI_MEMORY_FULL;
    uint16_t length = data->length;
    data->length = (uint16_t)(before + fragment->length);
    if (!data_fits(set)) {
        data->length = length;
        return YS_HCI_INVALID_PARAMETERS;
    }
    if (fragment->length > 0)
        memcpy(data->bytes + before, fragment->data, fragment->length);
    data->whole = fragment->operation >= YS_HCI_FRAGMENT_LAST;
    set->version = (uint16_t)ys_chance_below(&set->controller->chance, 4096);
    return YS_HCI_OK;
}

static uint8_t set_data(struct ys_controller *controller, struct ys_reader *parameters, bool response)
{
    struct ys_hci_fragment fragment;
    ys_get_hci_fragment(parameters, &fragment);
    struct advertiser *set = find_set(controller, fragment.handle);
    if (set == NULL)
        return YS_HCI_UNKNOWN_SET;
    bool legacy = (set->parameters.properties & YS_HCI_SET_LEGACY) != 0;
    bool whole = fragment.operation == YS_HCI_FRAGMENT_WHOLE;
    if (!ys_reader_done(parameters) || fragment.operation > YS_HCI_FRAGMENT_WHOLE ||
        fragment.length > YS_HCI_FRAGMENT_MAX || (legacy && !whole))
        return YS_HCI_INVALID_PARAMETERS;
    if (set->on && !whole)
        return YS_HCI_COMMAND_DISALLOWED;
    return take_fragment(set, response ? &set->response : &set->data, &fragment);
}

static uint8_t set_advertising_data(struct ys_controller *controller, struct ys_reader *parameters,
                                    struct ys_writer *answer)
{
    (void)answer;
    return set_data(controller, parameters, false);
}

static uint8_t set_scan_response(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    (void)answer;
    return set_data(controller, parameters, true);
}

/* Whether a set may be switched on as it is. */
static uint8_t check_on(const struct advertiser *set, const struct ys_hci_set_on *on)
{
    uint16_t properties = set->parameters.properties;
    bool fast = (properties & YS_HCI_SET_FAST) != 0;
    bool legacy = (properties & YS_HCI_SET_LEGACY) != 0;
    if (fast && (on->duration == 0 || on->duration > 128)) /* 1.28 s */
        return YS_HCI_INVALID_PARAMETERS;
    if ((set->data.length > 0 && !set->data.whole) || (set->response.length > 0 && !set->response.whole))
        return YS_HCI_COMMAND_DISALLOWED;
    if (!legacy && (properties & YS_HCI_SET_SCANNABLE) != 0 && set->response.length == 0)
        return YS_HCI_COMMAND_DISALLOWED;
    if (!legacy && extended_event_ns(set) > set->parameters.interval_min * NS_PER_ADVERTISING_STEP)
        return YS_HCI_PACKET_TOO_LONG;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.56. */
static uint8_t set_enable(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint8_t on = ys_get_u8(parameters);
    uint8_t count = ys_get_u8(parameters);
    struct ys_hci_set_on wanted[SETS_MAX];
    (void)answer;
    if (on > 1 || count > SETS_MAX || (on == 1 && count == 0) || ys_reader_left(parameters) != count * (size_t)4)
        return YS_HCI_INVALID_PARAMETERS;
    for (uint8_t i = 0; i < count; i++) { /* all or none */
        ys_get_hci_set_on(parameters, &wanted[i]);
        const struct advertiser *set = find_set(controller, wanted[i].handle);
        if (set == NULL)
            return YS_HCI_UNKNOWN_SET;
        uint8_t status = on == 1 ? check_on(set, &wanted[i]) : YS_HCI_OK;
        if (status != YS_HCI_OK)
            return status;
    }
    for (uint8_t i = 0; i < count; i++) {
        struct advertiser *set = find_set(controller, wanted[i].handle);
        uint8_t status = YS_HCI_OK;
        if (on == 1)
            status = advertiser_start(set, &wanted[i]);
        else
            advertiser_stop(set);
        if (status != YS_HCI_OK)
            return status;
    }
    for (size_t i = 0; on == 0 && count == 0 && controller->sets != NULL && i < controller->settings.sets; i++)
        advertiser_stop(&controller->sets[i]);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.57, 7.8.58. */
static uint8_t read_data_max(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)controller;
    (void)parameters;
    ys_put_u16(answer, SET_DATA_MAX);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.57, 7.8.58. */
static uint8_t read_sets(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)parameters;
    ys_put_u8(answer, controller->settings.sets);
    return YS_HCI_OK;
}

static void remove_set(struct advertiser *set)
{
    advertiser_free(set);
    advertiser_init(set, set->controller);
}

/* Vol 4 Part E 7.8.59, 7.8.60. */
static uint8_t remove_one(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct advertiser *set = find_set(controller, ys_get_u8(parameters));
    (void)answer;
    if (set == NULL)
        return YS_HCI_UNKNOWN_SET;
    if (set->on)
        return YS_HCI_COMMAND_DISALLOWED;
    remove_set(set);
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.59, 7.8.60. */
static uint8_t remove_all(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    (void)parameters;
    (void)answer;
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++) {
        if (controller->sets[i].on)
            return YS_HCI_COMMAND_DISALLOWED;
    }
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++)
        remove_set(&controller->sets[i]);
    return YS_HCI_OK;
}

/* scanning and connecting */

static bool phy_scans_are_valid(uint8_t phys, const struct ys_hci_phy_scan *by_phy)
{
    for (int i = 0; i < 3; i++) {
        if ((phys >> i & 1) != 0 &&
            (by_phy[i].active > 1 || by_phy[i].window < 4 || by_phy[i].interval < by_phy[i].window))
            return false;
    }
    return true;
}

/* Vol 4 Part E 7.8.64, 7.8.65. */
static uint8_t set_scan(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    struct ys_hci_extended_scan wanted;
    (void)answer;
    ys_get_hci_extended_scan(parameters, &wanted);
    if (scanners_are_on(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    if (wanted.filter > 1 || wanted.own_address_type > OWN_TYPE_MOST)
        return YS_HCI_UNSUPPORTED;
    if (!ys_reader_done(parameters) || wanted.phys == 0 || (wanted.phys & ~(YS_HCI_PHYS_1M | YS_HCI_PHYS_CODED)) != 0 ||
        !phy_scans_are_valid(wanted.phys, wanted.by_phy))
        return YS_HCI_INVALID_PARAMETERS;
    if (lacks(controller, wanted.phys))
        return YS_HCI_UNSUPPORTED;
    controller->scanning.by_sets = true;
    controller->scanning.parameters = wanted;
    return YS_HCI_OK;
}

/* Vol 4 Part E 7.8.64, 7.8.65. */
static uint8_t set_scan_enable(struct ys_controller *controller, struct ys_reader *parameters, struct ys_writer *answer)
{
    uint8_t on = ys_get_u8(parameters);
    uint8_t once = ys_get_u8(parameters);
    uint16_t duration = ys_get_u16(parameters);
    uint16_t period = ys_get_u16(parameters);
    (void)answer;
    if (on > 1 || once > 1)
        return YS_HCI_INVALID_PARAMETERS;
    if (period != 0) /* scanning that begins anew by itself */
        return YS_HCI_UNSUPPORTED;
    return scanners_enable(controller, on != 0, once != 0, duration);
}

/* Vol 4 Part E 7.8.66. */
static uint8_t create_connection(struct ys_controller *controller, struct ys_reader *parameters,
                                 struct ys_writer *answer)
{
    struct ys_hci_extended_connect wanted;
    (void)answer;
    ys_get_hci_extended_connect(parameters, &wanted);
    if (initiators_are_on(controller))
        return YS_HCI_COMMAND_DISALLOWED;
    if (!ys_reader_done(parameters) || (wanted.phys & (YS_HCI_PHYS_1M | YS_HCI_PHYS_CODED)) == 0 || wanted.phys > 7 ||
        !phy_scans_are_valid(wanted.phys, wanted.by_phy))
        return YS_HCI_INVALID_PARAMETERS;
    if (lacks(controller, wanted.phys))
        return YS_HCI_UNSUPPORTED;
    uint8_t status = connect_check(controller, &wanted.common);
    if (status != YS_HCI_OK)
        return status;
    controller->connecting = wanted;
    return initiators_start(controller);
}

static const struct command_row rows[] = {
    {YS_HCI_LE_SET_SET_ADDRESS, 7, false, GENERATION_EXTENDED, set_set_address},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS, 25, false, GENERATION_EXTENDED, set_parameters},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA, -1, false, GENERATION_EXTENDED, set_advertising_data},
    {YS_HCI_LE_SET_EXTENDED_SCAN_RESPONSE_DATA, -1, false, GENERATION_EXTENDED, set_scan_response},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, -1, false, GENERATION_EXTENDED, set_enable},
    {YS_HCI_LE_READ_ADVERTISING_DATA_MAX, 0, false, GENERATION_EXTENDED, read_data_max},
    {YS_HCI_LE_READ_ADVERTISING_SETS, 0, false, GENERATION_EXTENDED, read_sets},
    {YS_HCI_LE_REMOVE_ADVERTISING_SET, 1, false, GENERATION_EXTENDED, remove_one},
    {YS_HCI_LE_CLEAR_ADVERTISING_SETS, 0, false, GENERATION_EXTENDED, remove_all},
    {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, -1, false, GENERATION_EXTENDED, set_scan},
    {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, 6, false, GENERATION_EXTENDED, set_scan_enable},
    {YS_HCI_LE_EXTENDED_CREATE_CONNECTION, -1, true, GENERATION_EXTENDED, create_connection},
};

const struct command_row *commands_find_extended(uint16_t opcode)
{
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        if (rows[i].opcode == opcode)
            return &rows[i];
    }
    return NULL;
}
