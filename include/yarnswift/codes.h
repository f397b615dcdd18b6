/* Error codes of the standard that firmware meets: those of the attribute protocol, which handlers return, and those
 * of HCI, which say why a connection failed or ended. */
#ifndef YARNSWIFT_CODES_H
#define YARNSWIFT_CODES_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Error codes of the attribute protocol (Core 5.4 Vol 3 Part F 3.4.1.1; the last four: CSS
 * Part B 1.2). A handler may also return an application error, 0x80 to 0x9F. */
enum ys_att_error {
    YS_ATT_OK = 0x00, /* no error; never on the air */
    YS_ATT_INVALID_HANDLE = 0x01,
    YS_ATT_READ_NOT_PERMITTED = 0x02,
    YS_ATT_WRITE_NOT_PERMITTED = 0x03,
    YS_ATT_INVALID_PDU = 0x04,
    YS_ATT_INSUFFICIENT_AUTHENTICATION = 0x05,
    YS_ATT_REQUEST_NOT_SUPPORTED = 0x06,
    YS_ATT_INVALID_OFFSET = 0x07,
    YS_ATT_INSUFFICIENT_AUTHORIZATION = 0x08,
    YS_ATT_PREPARE_QUEUE_FULL = 0x09,
    YS_ATT_ATTRIBUTE_NOT_FOUND = 0x0a,
    YS_ATT_ATTRIBUTE_NOT_LONG = 0x0b,
    YS_ATT_KEY_TOO_SHORT = 0x0c,
    YS_ATT_INVALID_VALUE_LENGTH = 0x0d,
    YS_ATT_UNLIKELY_ERROR = 0x0e,
    YS_ATT_INSUFFICIENT_ENCRYPTION = 0x0f,
    YS_ATT_UNSUPPORTED_GROUP_TYPE = 0x10,
    YS_ATT_INSUFFICIENT_RESOURCES = 0x11,
    YS_ATT_DATABASE_OUT_OF_SYNC = 0x12,
    YS_ATT_VALUE_NOT_ALLOWED = 0x13,
    YS_ATT_APPLICATION_FIRST = 0x80,
    YS_ATT_APPLICATION_LAST = 0x9f,
    YS_ATT_WRITE_REQUEST_REJECTED = 0xfc,
    YS_ATT_CONFIGURATION_IMPROPER = 0xfd,
    YS_ATT_PROCEDURE_IN_PROGRESS = 0xfe,
    YS_ATT_OUT_OF_RANGE = 0xff
};

/* Error codes of HCI that this library uses or passes on (Core 5.4 Vol 1 Part F). */
enum ys_hci_error {
    YS_HCI_OK = 0x00,
    YS_HCI_UNKNOWN_COMMAND = 0x01,
    YS_HCI_UNKNOWN_CONNECTION = 0x02,
    YS_HCI_KEY_MISSING = 0x06, /* PIN or Key Missing */
    YS_HCI_MEMORY_FULL = 0x07,
    YS_HCI_TIMEOUT = 0x08,
    YS_HCI_CONNECTION_LIMIT = 0x09,
    YS_HCI_COMMAND_DISALLOWED = 0x0c,
    YS_HCI_UNSUPPORTED = 0x11,
    YS_HCI_INVALID_PARAMETERS = 0x12,
    YS_HCI_REMOTE_ENDED = 0x13,
    YS_HCI_REMOTE_LOW_RESOURCES = 0x14,
    YS_HCI_REMOTE_POWER_OFF = 0x15,
    YS_HCI_LOCAL_ENDED = 0x16,
    YS_HCI_UNSUPPORTED_REMOTE = 0x1a, /* Unsupported Remote Feature */
    YS_HCI_UNSPECIFIED = 0x1f,
    YS_HCI_LINK_RESPONSE_TIMEOUT = 0x22,
    YS_HCI_COLLISION = 0x23, /* LL Procedure Collision: of two of a kind; of different ones: */
    YS_HCI_INSTANT_PASSED = 0x28,
    YS_HCI_DIFFERENT_COLLISION = 0x2a, /* Different Transaction Collision */
    YS_HCI_UNACCEPTABLE_PARAMETERS = 0x3b,
    YS_HCI_ADVERTISING_TIMEOUT = 0x3c,
    YS_HCI_MIC_FAILURE = 0x3d,
    YS_HCI_NOT_ESTABLISHED = 0x3e,
    YS_HCI_UNKNOWN_SET = 0x42, /* Unknown Advertising Identifier */
    YS_HCI_LIMIT_REACHED = 0x43,
    YS_HCI_PACKET_TOO_LONG = 0x45
};

/* The meaning of a code, in a few plain words; never NULL. From any context. */
const char *ys_att_error_text(uint8_t error);
const char *ys_hci_error_text(uint8_t error);

#ifdef __cplusplus
}
#endif

#endif
