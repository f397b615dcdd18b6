/* The tables of packets and their fields: control PDUs (Core 5.4 Vol 6 Part B 2.4.2), HCI (Vol 4 Part E 7), signalling
 * (Vol 3 Part A 4), the attribute protocol (Vol 3 Part F 3.4), pairing (Vol 3 Part H 3.5, 3.6). */
#include "capture/say/layouts.h"

#include <strings.h>

#include "wire/att.h"
#include "wire/hci_extended.h"
#include "wire/hci_link.h"
#include "wire/l2cap.h"
#include "wire/link_control.h"
#include "wire/smp.h"

#define CONNECTION_FIELDS                                                                                              \
    "interval min:unit|interval max:unit|latency:2|timeout:ten|periodicity:unit1|reference event:2|offset 0:unit|"     \
    "offset 1:unit|offset 2:unit|offset 3:unit|offset 4:unit|offset 5:unit"
#define LENGTH_FIELDS  "receives:2|receives for:us|sends:2|sends for:us"
#define PAIRING_FIELDS "can:io|out of band:flag|wants:needs|key size:1|initiator gives:keys|responder gives:keys"

static const struct ys_packet_layout controls[] = {
    {YS_LINK_CONNECTION_UPDATE_IND, "LL_CONNECTION_UPDATE_IND",
     "window:unit1|offset:unit|interval:unit|latency:2|timeout:ten|instant:2"},
    {YS_LINK_CHANNEL_MAP_IND, "LL_CHANNEL_MAP_IND", "channels:map|instant:2"},
    {YS_LINK_TERMINATE_IND, "LL_TERMINATE_IND", "reason:err"},
    {YS_LINK_ENC_REQ, "LL_ENC_REQ", "random:b8|diversifier:x2|key half:b8|vector half:b4"},
    {YS_LINK_ENC_RSP, "LL_ENC_RSP", "key half:b8|vector half:b4"},
    {YS_LINK_START_ENC_REQ, "LL_START_ENC_REQ", ""},
    {YS_LINK_START_ENC_RSP, "LL_START_ENC_RSP", ""},
    {YS_LINK_UNKNOWN_RSP, "LL_UNKNOWN_RSP", "not known:control"},
    {YS_LINK_FEATURE_REQ, "LL_FEATURE_REQ", "features:can"},
    {YS_LINK_FEATURE_RSP, "LL_FEATURE_RSP", "features:can"},
    {YS_LINK_PAUSE_ENC_REQ, "LL_PAUSE_ENC_REQ", ""},
    {YS_LINK_PAUSE_ENC_RSP, "LL_PAUSE_ENC_RSP", ""},
    {YS_LINK_VERSION_IND, "LL_VERSION_IND", "version:1|company:x2|subversion:x2"},
    {YS_LINK_REJECT_IND, "LL_REJECT_IND", "reason:err"},
    {YS_LINK_PERIPHERAL_FEATURE_REQ, "LL_PERIPHERAL_FEATURE_REQ", "features:can"},
    {YS_LINK_CONNECTION_PARAM_REQ, "LL_CONNECTION_PARAM_REQ", CONNECTION_FIELDS},
    {YS_LINK_CONNECTION_PARAM_RSP, "LL_CONNECTION_PARAM_RSP", CONNECTION_FIELDS},
    {YS_LINK_REJECT_EXT_IND, "LL_REJECT_EXT_IND", "refused:control|reason:err"},
    {YS_LINK_PING_REQ, "LL_PING_REQ", ""},
    {YS_LINK_PING_RSP, "LL_PING_RSP", ""},
    {YS_LINK_LENGTH_REQ, "LL_LENGTH_REQ", LENGTH_FIELDS},
    {YS_LINK_LENGTH_RSP, "LL_LENGTH_RSP", LENGTH_FIELDS},
    {YS_LINK_PHY_REQ, "LL_PHY_REQ", "sends on:phys|receives on:phys"},
    {YS_LINK_PHY_RSP, "LL_PHY_RSP", "sends on:phys|receives on:phys"},
    {YS_LINK_PHY_UPDATE_IND, "LL_PHY_UPDATE_IND", "central sends on:phys|peripheral sends on:phys|instant:2"},
    {YS_LINK_CHANNELS_LEAST_IND, "LL_MIN_USED_CHANNELS_IND", "PHYs:phys|channels:1"},
    {0x1a, "LL_CTE_REQ", "b:b*"},
    {0x1b, "LL_CTE_RSP", ""},
    {0x1c, "LL_PERIODIC_SYNC_IND", "b:b*"},
    {0x1d, "LL_CLOCK_ACCURACY_REQ", "accuracy:1"},
    {0x1e, "LL_CLOCK_ACCURACY_RSP", "accuracy:1"},
    {0x1f, "LL_CIS_REQ", "b:b*"},
    {0x20, "LL_CIS_RSP", "b:b*"},
    {0x21, "LL_CIS_IND", "b:b*"},
    {0x22, "LL_CIS_TERMINATE_IND", "b:b*"},
    {0x23, "LL_POWER_CONTROL_REQ", "PHY:phys|delta:s1|power:dbm"},
    {0x24, "LL_POWER_CONTROL_RSP", "limits:x1|delta:s1|power:dbm|reduction:s1"},
    {0x25, "LL_POWER_CHANGE_IND", "PHY:phys|limits:x1|delta:s1|power:dbm"},
    {0x26, "LL_SUBRATE_REQ", "factor min:2|factor max:2|latency max:2|continuation:2|timeout:ten"},
    {0x27, "LL_SUBRATE_IND", "factor:2|base event:2|latency:2|continuation:2|timeout:ten"},
    {0x28, "LL_CHANNEL_REPORTING_IND", "on:flag|spacing:1|delay:1"},
    {0x29, "LL_CHANNEL_STATUS_IND", "b:b*"},
};

static const struct ys_packet_layout commands[] = {
    {YS_HCI_DISCONNECT, "Disconnect", "connection:link|reason:err"},
    {YS_HCI_READ_REMOTE_VERSION, "Read Remote Version Information", "connection:link"},
    {YS_HCI_SET_EVENT_MASK, "Set Event Mask", "mask:events"},
    {YS_HCI_RESET, "Reset", ""},
    {YS_HCI_READ_POWER, "Read Transmit Power Level", "connection:link|which:1"},
    {0x0c31, "Set Controller To Host Flow Control", "on:1"},
    {0x0c33, "Host Buffer Size", "length:2|other length:1|count:2|other count:2"},
    {0x0c35, "Host Number Of Completed Packets", "links:1|b:b*"},
    {0x0c63, "Set Event Mask Page 2", "mask:x8"},
    {YS_HCI_READ_PAYLOAD_TIMEOUT, "Read Authenticated Payload Timeout", "connection:link"},
    {YS_HCI_WRITE_PAYLOAD_TIMEOUT, "Write Authenticated Payload Timeout", "connection:link|timeout:ten"},
    {0x1001, "Read Local Version Information", ""},
    {0x1002, "Read Local Supported Commands", ""},
    {YS_HCI_READ_FEATURES, "Read Local Supported Features", ""},
    {YS_HCI_READ_BUFFER_SIZE, "Read Buffer Size", ""},
    {YS_HCI_READ_ADDRESS, "Read BD_ADDR", ""},
    {YS_HCI_READ_RSSI, "Read RSSI", "connection:link"},
    {YS_HCI_LE_SET_EVENT_MASK, "LE Set Event Mask", "mask:leevents"},
    {YS_HCI_LE_READ_BUFFER_SIZE, "LE Read Buffer Size", ""},
    {YS_HCI_LE_READ_FEATURES, "LE Read Local Supported Features", ""},
    {YS_HCI_LE_SET_RANDOM_ADDRESS, "LE Set Random Address", "address:address"},
    {YS_HCI_LE_SET_ADVERTISING_PARAMETERS, "LE Set Advertising Parameters",
     "interval min:slot|interval max:slot|type:kind|own address:own|peer:who|channels:channels|filter:asked"},
    {0x2007, "LE Read Advertising Physical Channel Tx Power", ""},
    {YS_HCI_LE_SET_ADVERTISING_DATA, "LE Set Advertising Data", "data:adl|unused:b*"},
    {YS_HCI_LE_SET_SCAN_RESPONSE_DATA, "LE Set Scan Response Data", "data:adl|unused:b*"},
    {YS_HCI_LE_SET_ADVERTISING_ENABLE, "LE Set Advertising Enable", "on:flag"},
    {YS_HCI_LE_SET_SCAN_PARAMETERS, "LE Set Scan Parameters",
     "active:flag|interval:slot|window:slot|own address:own|filter:heard"},
    {YS_HCI_LE_SET_SCAN_ENABLE, "LE Set Scan Enable", "on:flag|without repeats:flag"},
    {YS_HCI_LE_CREATE_CONNECTION, "LE Create Connection",
     "scan interval:slot|scan window:slot|filter:whom|peer:who|own address:own|interval min:unit|interval max:unit|"
     "latency:2|timeout:ten|event length min:slot|event length max:slot"},
    {YS_HCI_LE_CREATE_CONNECTION_CANCEL, "LE Create Connection Cancel", ""},
    {YS_HCI_LE_READ_ACCEPT_LIST_SIZE, "LE Read Filter Accept List Size", ""},
    {YS_HCI_LE_CLEAR_ACCEPT_LIST, "LE Clear Filter Accept List", ""},
    {YS_HCI_LE_ADD_TO_ACCEPT_LIST, "LE Add Device To Filter Accept List", "who:who"},
    {YS_HCI_LE_REMOVE_FROM_ACCEPT_LIST, "LE Remove Device From Filter Accept List", "who:who"},
    {YS_HCI_LE_CONNECTION_UPDATE, "LE Connection Update",
     "connection:link|interval min:unit|interval max:unit|latency:2|timeout:ten|event length min:slot|"
     "event length max:slot"},
    {YS_HCI_LE_SET_CHANNELS, "LE Set Host Channel Classification", "channels:map"},
    {YS_HCI_LE_READ_CHANNELS, "LE Read Channel Map", "connection:link"},
    {YS_HCI_LE_READ_REMOTE_FEATURES, "LE Read Remote Features", "connection:link"},
    {0x2017, "LE Encrypt", "key:b16|plain:b16"},
    {0x2018, "LE Rand", ""},
    {YS_HCI_LE_ENABLE_ENCRYPTION, "LE Enable Encryption", "connection:link|random:b8|diversifier:x2|key:b16"},
    {YS_HCI_LE_KEY_REPLY, "LE Long Term Key Request Reply", "connection:link|key:b16"},
    {YS_HCI_LE_KEY_NEGATIVE_REPLY, "LE Long Term Key Request Negative Reply", "connection:link"},
    {0x201c, "LE Read Supported States", ""},
    {YS_HCI_LE_PARAMETERS_REPLY, "LE Remote Connection Parameter Request Reply",
     "connection:link|interval min:unit|interval max:unit|latency:2|timeout:ten|event length min:slot|"
     "event length max:slot"},
    {YS_HCI_LE_PARAMETERS_NEGATIVE_REPLY, "LE Remote Connection Parameter Request Negative Reply",
     "connection:link|reason:err"},
    {YS_HCI_LE_SET_DATA_LENGTH, "LE Set Data Length", "connection:link|sends:2|sends for:us"},
    {YS_HCI_LE_READ_DEFAULT_LENGTH, "LE Read Suggested Default Data Length", ""},
    {YS_HCI_LE_WRITE_DEFAULT_LENGTH, "LE Write Suggested Default Data Length", "sends:2|sends for:us"},
    {0x2025, "LE Read Local P-256 Public Key", ""},
    {0x2026, "LE Generate DHKey", "key x:b32|key y:b32"},
    {YS_HCI_LE_ADD_TO_RESOLVING_LIST, "LE Add Device To Resolving List", "who:who|peer key:b16|own key:b16"},
    {YS_HCI_LE_REMOVE_FROM_RESOLVING_LIST, "LE Remove Device From Resolving List", "who:who"},
    {YS_HCI_LE_CLEAR_RESOLVING_LIST, "LE Clear Resolving List", ""},
    {YS_HCI_LE_READ_RESOLVING_LIST_SIZE, "LE Read Resolving List Size", ""},
    {YS_HCI_LE_SET_RESOLUTION_ENABLE, "LE Set Address Resolution Enable", "on:flag"},
    {YS_HCI_LE_SET_RESOLVABLE_TIMEOUT, "LE Set Resolvable Private Address Timeout", "seconds:2"},
    {YS_HCI_LE_READ_LENGTH_MAX, "LE Read Maximum Data Length", ""},
    {YS_HCI_LE_READ_PHY, "LE Read PHY", "connection:link"},
    {YS_HCI_LE_SET_DEFAULT_PHY, "LE Set Default PHY", "no wish:x1|sends on:phys|receives on:phys"},
    {YS_HCI_LE_SET_PHY, "LE Set PHY", "connection:link|no wish:x1|sends on:phys|receives on:phys|coding:2"},
    {YS_HCI_LE_SET_SET_ADDRESS, "LE Set Advertising Set Random Address", "set:1|address:address"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS, "LE Set Extended Advertising Parameters",
     "set:1|properties:x2|interval min:slot3|interval max:slot3|channels:channels|own "
     "address:own|peer:who|filter:asked|"
     "power:dbm|primary PHY:phy|skip:1|secondary PHY:phy|set id:1|report scan requests:flag"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_DATA, "LE Set Extended Advertising Data", "set:1|operation:1|whole:1|data:adl"},
    {YS_HCI_LE_SET_EXTENDED_SCAN_RESPONSE_DATA, "LE Set Extended Scan Response Data",
     "set:1|operation:1|whole:1|data:adl"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_ENABLE, "LE Set Extended Advertising Enable", "on:flag|sets:1|b:b*"},
    {YS_HCI_LE_READ_ADVERTISING_DATA_MAX, "LE Read Maximum Advertising Data Length", ""},
    {YS_HCI_LE_READ_ADVERTISING_SETS, "LE Read Number Of Supported Advertising Sets", ""},
    {YS_HCI_LE_REMOVE_ADVERTISING_SET, "LE Remove Advertising Set", "set:1"},
    {YS_HCI_LE_CLEAR_ADVERTISING_SETS, "LE Clear Advertising Sets", ""},
    {YS_HCI_LE_SET_EXTENDED_SCAN_PARAMETERS, "LE Set Extended Scan Parameters",
     "own address:own|filter:heard|PHYs:phys|by PHY:b*"},
    {YS_HCI_LE_SET_EXTENDED_SCAN_ENABLE, "LE Set Extended Scan Enable",
     "on:flag|without repeats:1|duration:ten|period:2"},
    {YS_HCI_LE_EXTENDED_CREATE_CONNECTION, "LE Extended Create Connection",
     "filter:1|own address:own|peer:who|PHYs:phys|by PHY:b*"},
    {YS_HCI_LE_SET_PRIVACY_MODE, "LE Set Privacy Mode", "who:who|mode:1"},
};

static const struct ys_packet_layout returns[] = {
    {YS_HCI_READ_FEATURES, NULL, "features:radio"},
    {YS_HCI_READ_BUFFER_SIZE, NULL, "length:2|other length:1|count:2|other count:2"},
    {YS_HCI_READ_ADDRESS, NULL, "address:address"},
    {YS_HCI_READ_RSSI, NULL, "connection:link|strength:dbm"},
    {YS_HCI_READ_POWER, NULL, "connection:link|power:dbm"},
    {YS_HCI_LE_READ_BUFFER_SIZE, NULL, "length:2|count:1"},
    {YS_HCI_LE_READ_FEATURES, NULL, "features:can"},
    {YS_HCI_LE_READ_ACCEPT_LIST_SIZE, NULL, "size:1"},
    {YS_HCI_LE_READ_RESOLVING_LIST_SIZE, NULL, "size:1"},
    {YS_HCI_LE_READ_CHANNELS, NULL, "connection:link|channels:map"},
    {YS_HCI_LE_READ_DEFAULT_LENGTH, NULL, "sends:2|sends for:us"},
    {YS_HCI_LE_READ_LENGTH_MAX, NULL, "sends:2|sends for:us|receives:2|receives for:us"},
    {YS_HCI_LE_READ_PHY, NULL, "connection:link|sends on:phy|receives on:phy"},
    {YS_HCI_LE_READ_ADVERTISING_DATA_MAX, NULL, "length:2"},
    {YS_HCI_LE_READ_ADVERTISING_SETS, NULL, "sets:1"},
    {YS_HCI_LE_SET_EXTENDED_ADVERTISING_PARAMETERS, NULL, "power:dbm"},
    {YS_HCI_LE_KEY_REPLY, NULL, "connection:link"},
    {YS_HCI_LE_KEY_NEGATIVE_REPLY, NULL, "connection:link"},
    {YS_HCI_LE_SET_DATA_LENGTH, NULL, "connection:link"},
    {YS_HCI_READ_PAYLOAD_TIMEOUT, NULL, "connection:link|timeout:ten"},
    {YS_HCI_WRITE_PAYLOAD_TIMEOUT, NULL, "connection:link"},
};

static const struct ys_packet_layout events[] = {
    {YS_HCI_DISCONNECTION_COMPLETE, "Disconnection Complete", "status:err|connection:link|reason:err"},
    {YS_HCI_ENCRYPTION_CHANGE, "Encryption Change", "status:err|connection:link|encrypted:1"},
    {YS_HCI_REMOTE_VERSION_COMPLETE, "Read Remote Version Information Complete",
     "status:err|connection:link|version:1|company:x2|subversion:x2"},
    {YS_HCI_COMMAND_COMPLETE, "Command Complete", ""},
    {YS_HCI_COMMAND_STATUS, "Command Status", ""},
    {YS_HCI_HARDWARE_ERROR, "Hardware Error", "code:x1"},
    {YS_HCI_COMPLETED_PACKETS, "Number Of Completed Packets", "links:1|connection:link|packets:2"},
    {0x1a, "Data Buffer Overflow", "kind:1"},
    {YS_HCI_KEY_REFRESH_COMPLETE, "Encryption Key Refresh Complete", "status:err|connection:link"},
    {YS_HCI_LE_META, "LE Meta", ""},
    {YS_HCI_PAYLOAD_TIMEOUT_EXPIRED, "Authenticated Payload Timeout Expired", "connection:link"},
};

static const struct ys_packet_layout le_events[] = {
    {YS_HCI_LE_CONNECTION_COMPLETE, "LE Connection Complete",
     "status:err|connection:link|role:role|peer:who|interval:unit|latency:2|timeout:ten|clock accuracy:1"},
    {YS_HCI_LE_ADVERTISING_REPORT, "LE Advertising Report", "reports:1|type:1|who:who|data:adl|strength:dbm"},
    {YS_HCI_LE_CONNECTION_UPDATE_COMPLETE, "LE Connection Update Complete",
     "status:err|connection:link|interval:unit|latency:2|timeout:ten"},
    {YS_HCI_LE_REMOTE_FEATURES_COMPLETE, "LE Read Remote Features Complete", "status:err|connection:link|features:can"},
    {YS_HCI_LE_KEY_REQUEST, "LE Long Term Key Request", "connection:link|random:b8|diversifier:x2"},
    {YS_HCI_LE_PARAMETERS_REQUEST, "LE Remote Connection Parameter Request",
     "connection:link|interval min:unit|interval max:unit|latency:2|timeout:ten"},
    {YS_HCI_LE_DATA_LENGTH_CHANGE, "LE Data Length Change",
     "connection:link|sends:2|sends for:us|receives:2|receives for:us"},
    {0x08, "LE Read Local P-256 Public Key Complete", "status:err|key x:b32|key y:b32"},
    {0x09, "LE Generate DHKey Complete", "status:err|key:b32"},
    {YS_HCI_LE_ENHANCED_CONNECTION_COMPLETE, "LE Enhanced Connection Complete",
     "status:err|connection:link|role:role|peer:who|own made:address|peer made:address|interval:unit|latency:2|"
     "timeout:ten|clock accuracy:1"},
    {0x0b, "LE Directed Advertising Report", "b:b*"},
    {YS_HCI_LE_PHY_UPDATE_COMPLETE, "LE PHY Update Complete",
     "status:err|connection:link|sends on:phy|receives on:phy"},
    {YS_HCI_LE_EXTENDED_ADVERTISING_REPORT, "LE Extended Advertising Report",
     "reports:1|type:x2|who:who|primary PHY:phy|secondary PHY:phy|set id:1|power:dbm|strength:dbm|periodic:unit|"
     "target:who|data:adl"},
    {YS_HCI_LE_SCAN_TIMEOUT, "LE Scan Timeout", ""},
    {YS_HCI_LE_ADVERTISING_SET_TERMINATED, "LE Advertising Set Terminated",
     "status:err|set:1|connection:link|events:1"},
    {YS_HCI_LE_SCAN_REQUEST_RECEIVED, "LE Scan Request Received", "set:1|who:who"},
    {0x14, "LE Channel Selection Algorithm", "connection:link|algorithm:1"},
};

static const struct ys_packet_layout signals[] = {
    {YS_L2CAP_COMMAND_REJECT, "command reject", "reason:x2|b:b*"},
    {YS_L2CAP_DISCONNECTION_REQ, "disconnection request", "theirs:x2|ours:x2"},
    {YS_L2CAP_DISCONNECTION_RSP, "disconnection response", "ours:x2|theirs:x2"},
    {YS_L2CAP_PARAMETER_REQ, "connection parameter update request",
     "interval min:unit|interval max:unit|latency:2|timeout:ten"},
    {YS_L2CAP_PARAMETER_RSP, "connection parameter update response", "result:2"},
    {YS_L2CAP_CREDIT_CONNECTION_REQ, "credit based connection request",
     "service:x2|channel:x2|MTU:2|packet:2|credits:2"},
    {YS_L2CAP_CREDIT_CONNECTION_RSP, "credit based connection response",
     "channel:x2|MTU:2|packet:2|credits:2|result:2"},
    {YS_L2CAP_CREDITS, "flow control credits", "channel:x2|credits:2"},
    {0x17, "credit based connections request", "b:b*"},
    {0x18, "credit based connections response", "b:b*"},
    {0x19, "reconfigure request", "b:b*"},
    {0x1a, "reconfigure response", "b:b*"},
};

static const struct ys_packet_layout attributes[] = {
    {YS_ATT_ERROR_RESPONSE, NULL, "to:opcode|handle:handle|error:atterr"},
    {YS_ATT_MTU_REQUEST, NULL, "MTU:2"},
    {YS_ATT_MTU_RESPONSE, NULL, "MTU:2"},
    {YS_ATT_FIND_INFORMATION_REQUEST, NULL, "from:handle|to:handle"},
    {YS_ATT_FIND_INFORMATION_RESPONSE, NULL, "format:1|found:b*"},
    {YS_ATT_FIND_BY_TYPE_VALUE_REQUEST, NULL, "from:handle|to:handle|type:x2|value:b*"},
    {YS_ATT_FIND_BY_TYPE_VALUE_RESPONSE, NULL, "found:b*"},
    {YS_ATT_READ_BY_TYPE_REQUEST, NULL, "from:handle|to:handle|type:uuid*"},
    {YS_ATT_READ_BY_TYPE_RESPONSE, NULL, "entry length:1|found:b*"},
    {YS_ATT_READ_REQUEST, NULL, "handle:handle"},
    {YS_ATT_READ_RESPONSE, NULL, "value:b*"},
    {YS_ATT_READ_BLOB_REQUEST, NULL, "handle:handle|offset:2"},
    {YS_ATT_READ_BLOB_RESPONSE, NULL, "part of the value:b*"},
    {YS_ATT_READ_MULTIPLE_REQUEST, NULL, "handles:b*"},
    {YS_ATT_READ_MULTIPLE_RESPONSE, NULL, "values:b*"},
    {YS_ATT_READ_BY_GROUP_TYPE_REQUEST, NULL, "from:handle|to:handle|type:uuid*"},
    {YS_ATT_READ_BY_GROUP_TYPE_RESPONSE, NULL, "entry length:1|found:b*"},
    {YS_ATT_WRITE_REQUEST, NULL, "handle:handle|value:b*"},
    {YS_ATT_WRITE_RESPONSE, NULL, ""},
    {YS_ATT_PREPARE_WRITE_REQUEST, NULL, "handle:handle|offset:2|part of the value:b*"},
    {YS_ATT_PREPARE_WRITE_RESPONSE, NULL, "handle:handle|offset:2|part of the value:b*"},
    {YS_ATT_EXECUTE_WRITE_REQUEST, NULL, "write:flag"},
    {YS_ATT_EXECUTE_WRITE_RESPONSE, NULL, ""},
    {YS_ATT_NOTIFICATION, NULL, "handle:handle|value:b*"},
    {YS_ATT_INDICATION, NULL, "handle:handle|value:b*"},
    {YS_ATT_CONFIRMATION, NULL, ""},
    {YS_ATT_READ_VARIABLE_REQUEST, NULL, "handles:b*"},
    {YS_ATT_READ_VARIABLE_RESPONSE, NULL, "lengths and values:b*"},
    {YS_ATT_NOTIFICATIONS, NULL, "handles, lengths and values:b*"},
    {YS_ATT_WRITE_COMMAND, NULL, "handle:handle|value:b*"},
    {YS_ATT_SIGNED_WRITE_COMMAND, NULL, "handle:handle|value and signature:b*"},
};

static const struct ys_packet_layout pairings[] = {
    {YS_SMP_PAIRING_REQUEST, NULL, PAIRING_FIELDS},
    {YS_SMP_PAIRING_RESPONSE, NULL, PAIRING_FIELDS},
    {YS_SMP_PAIRING_CONFIRM, NULL, "confirm value:b16"},
    {YS_SMP_PAIRING_RANDOM, NULL, "random value:b16"},
    {YS_SMP_PAIRING_FAILED, NULL, "reason:smperr"},
    {YS_SMP_ENCRYPTION_INFORMATION, NULL, "key:b16"},
    {YS_SMP_CENTRAL_IDENTIFICATION, NULL, "diversifier:x2|random:b8"},
    {YS_SMP_IDENTITY_INFORMATION, NULL, "key:b16"},
    {YS_SMP_IDENTITY_ADDRESS, NULL, "identity:who"},
    {YS_SMP_SIGNING_INFORMATION, NULL, "key:b16"},
    {0x0b, NULL, "wants:needs"},
    {0x0c, NULL, "key x:b32|key y:b32"},
    {0x0d, NULL, "check:b16"},
    {0x0e, NULL, "kind:1"},
};

static const struct ys_packet_layout advertisings[] = {
    {YS_LINK_ADV_IND, "ADV_IND", "advertiser:address|data:ad*"},
    {YS_LINK_ADV_DIRECT_IND, "ADV_DIRECT_IND", "advertiser:address|target:address"},
    {YS_LINK_ADV_NONCONN_IND, "ADV_NONCONN_IND", "advertiser:address|data:ad*"},
    {YS_LINK_SCAN_REQ, "SCAN_REQ", "scanner:address|advertiser:address"},
    {YS_LINK_SCAN_RSP, "SCAN_RSP", "advertiser:address|data:ad*"},
    {YS_LINK_CONNECT_IND, "CONNECT_IND",
     "initiator:address|advertiser:address|access address:x4|CRC begins with:x3|window:unit1|offset:unit|"
     "interval:unit|latency:2|timeout:ten|channels:map|hop:hop"},
    {YS_LINK_ADV_SCAN_IND, "ADV_SCAN_IND", "advertiser:address|data:ad*"},
};

static const struct ys_packet_layout *find(const struct ys_packet_layout *rows, size_t count, uint16_t code)
{
    for (size_t i = 0; i < count; i++) {
        if (rows[i].code == code)
            return &rows[i];
    }
    return NULL;
}

#define FIND(rows, code) find(rows, sizeof(rows) / sizeof(rows)[0], code)

const struct ys_packet_layout *ys_layout_of_control(uint8_t opcode)
{
    return FIND(controls, opcode);
}

const struct ys_packet_layout *ys_layout_of_command(uint16_t opcode)
{
    return FIND(commands, opcode);
}

const struct ys_packet_layout *ys_layout_of_command_named(const char *name)
{
    for (size_t i = 0; i < sizeof commands / sizeof commands[0]; i++) {
        if (strcasecmp(commands[i].name, name) == 0)
            return &commands[i];
    }
    return NULL;
}

const struct ys_packet_layout *ys_layout_of_return(uint16_t opcode)
{
    return FIND(returns, opcode);
}

const struct ys_packet_layout *ys_layout_of_event(uint8_t event)
{
    return FIND(events, event);
}

const struct ys_packet_layout *ys_layout_of_le_event(uint8_t subevent)
{
    return FIND(le_events, subevent);
}

const struct ys_packet_layout *ys_layout_of_signal(uint8_t code)
{
    return FIND(signals, code);
}

const struct ys_packet_layout *ys_layout_of_att(uint8_t opcode)
{
    return FIND(attributes, opcode);
}

const struct ys_packet_layout *ys_layout_of_smp(uint8_t code)
{
    return FIND(pairings, code);
}

const struct ys_packet_layout *ys_layout_of_advertising(uint8_t type)
{
    return FIND(advertisings, type);
}

static const char *name_of(const struct ys_packet_layout *layout)
{
    return layout != NULL ? layout->name : "unknown";
}

const char *ys_control_name(uint8_t opcode)
{
    return name_of(ys_layout_of_control(opcode));
}

const char *ys_signal_name(uint8_t code)
{
    return name_of(ys_layout_of_signal(code));
}

const char *ys_hci_command_name(uint16_t opcode)
{
    return name_of(ys_layout_of_command(opcode));
}

const char *ys_hci_event_name(uint8_t event, uint8_t subevent)
{
    return name_of(event == YS_HCI_LE_META ? ys_layout_of_le_event(subevent) : ys_layout_of_event(event));
}

const char *ys_phy_name(enum ys_phy phy)
{
    static const char *const names[] = {"1M", "2M", "coded S=8", "coded S=2"};
    return names[phy];
}
