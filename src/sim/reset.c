/* The state of a controller after a reset (Core 5.4 Vol 4 Part E 7.3.2). */
#include "sim/reset.h"

#include <string.h>

#include "sim/advertiser.h"
#include "sim/commands_host.h"
#include "sim/controller_state.h"
#include "sim/initiator.h"
#include "sim/link.h"
#include "sim/resolving.h"
#include "sim/scanner.h"

/* Vol 6 Part B 4.6. */
uint64_t controller_features(const struct ys_controller_settings *settings)
{
    uint64_t features = YS_HCI_LE_FEATURE_ENCRYPTION | YS_HCI_LE_FEATURE_PRIVACY | YS_HCI_LE_FEATURE_PARAMETERS |
                        YS_HCI_LE_FEATURE_REJECT | YS_HCI_LE_FEATURE_FEATURES | YS_HCI_LE_FEATURE_PING |
                        YS_HCI_LE_FEATURE_DATA_LENGTH;
    if (settings->sets > 0)
        features |=
            YS_HCI_LE_FEATURE_2M | YS_HCI_LE_FEATURE_CODED | YS_HCI_LE_FEATURE_EXTENDED | YS_HCI_LE_FEATURE_CHANNELS_2;
    return features & ~settings->lacks;
}

uint8_t controller_phys(const struct ys_controller *controller)
{
    uint8_t phys = YS_HCI_PHYS_1M;
    if ((controller->features & YS_HCI_LE_FEATURE_2M) != 0)
        phys |= YS_HCI_PHYS_2M;
    if ((controller->features & YS_HCI_LE_FEATURE_CODED) != 0)
        phys |= YS_HCI_PHYS_CODED;
    return phys;
}

static void reset_links(struct ys_controller *controller)
{
    memset(controller->channel_map, 0xff, sizeof controller->channel_map);
    controller->channel_map[4] = 0x1f;
    controller->default_send_phys = controller_phys(controller);
    controller->default_receive_phys = controller_phys(controller);
    controller->default_octets = YS_LINK_PAYLOAD_DEFAULT;
    controller->default_us = YS_LINK_TIME_DEFAULT_US;
}

/* Vol 4 Part E 7.3.2. */
void controller_reset(struct ys_controller *controller)
{
    advertisers_stop(controller);
    scanners_stop(controller);
    initiators_stop(controller);
    links_stop(controller);
    computing_stop(controller);
    controller->generation = GENERATION_ANY;
    reset_links(controller);
    controller->has_random_address = false;
    controller->accepted = 0;
    resolving_reset(controller);
    /* Vol 4 Part E 7.3.1, 7.8.1: all events of the first versions are on; LE ones are not shown to a host that never
     * asks */
    controller->event_mask = UINT64_C(0x00001fffffffffff);
    controller->le_event_mask = UINT64_C(0x1f);
    advertiser_init(&controller->advertiser, controller);
    for (size_t i = 0; controller->sets != NULL && i < controller->settings.sets; i++)
        advertiser_init(&controller->sets[i], controller);
    scanners_init(controller);
    initiators_init(controller);
}
