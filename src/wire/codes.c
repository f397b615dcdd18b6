/* Error codes of the attribute protocol and of HCI, in words. */
#include <yarnswift/codes.h>

#include <stddef.h>

struct meaning {
    uint8_t code;
    const char *text;
};

static const struct meaning att_errors[] = {
    {YS_ATT_OK, "no error"},
    {YS_ATT_INVALID_HANDLE, "there is no such handle"},
    {YS_ATT_READ_NOT_PERMITTED, "it cannot be read"},
    {YS_ATT_WRITE_NOT_PERMITTED, "it cannot be written"},
    {YS_ATT_INVALID_PDU, "the request is malformed"},
    {YS_ATT_INSUFFICIENT_AUTHENTICATION, "it needs a paired or authenticated link"},
    {YS_ATT_REQUEST_NOT_SUPPORTED, "the request is not supported"},
    {YS_ATT_INVALID_OFFSET, "the offset lies beyond the value"},
    {YS_ATT_INSUFFICIENT_AUTHORIZATION, "the application did not consent"},
    {YS_ATT_PREPARE_QUEUE_FULL, "too many prepared writes"},
    {YS_ATT_ATTRIBUTE_NOT_FOUND, "no attribute found in that range"},
    {YS_ATT_ATTRIBUTE_NOT_LONG, "the value is not long"},
    {YS_ATT_KEY_TOO_SHORT, "the encryption key is too short"},
    {YS_ATT_INVALID_VALUE_LENGTH, "the value has the wrong length"},
    {YS_ATT_UNLIKELY_ERROR, "an unlikely error"},
    {YS_ATT_INSUFFICIENT_ENCRYPTION, "it needs an encrypted link"},
    {YS_ATT_UNSUPPORTED_GROUP_TYPE, "the type is not a grouping one"},
    {YS_ATT_INSUFFICIENT_RESOURCES, "not enough resources"},
    {YS_ATT_DATABASE_OUT_OF_SYNC, "the attribute table has changed"},
    {YS_ATT_VALUE_NOT_ALLOWED, "the value is not allowed"},
    {YS_ATT_WRITE_REQUEST_REJECTED, "the write was rejected"},
    {YS_ATT_CONFIGURATION_IMPROPER, "the client configuration is improper"},
    {YS_ATT_PROCEDURE_IN_PROGRESS, "a procedure is already in progress"},
    {YS_ATT_OUT_OF_RANGE, "the value is out of range"},
};

static const struct meaning hci_errors[] = {
    {YS_HCI_OK, "success"},
    {YS_HCI_UNKNOWN_COMMAND, "the controller does not know the command"},
    {YS_HCI_UNKNOWN_CONNECTION, "there is no such connection"},
    {YS_HCI_KEY_MISSING, "the other side has no key for it"},
    {YS_HCI_MEMORY_FULL, "the controller is out of memory"},
    {YS_HCI_TIMEOUT, "the other side was not heard for the supervision timeout"},
    {YS_HCI_CONNECTION_LIMIT, "no more connections fit"},
    {YS_HCI_COMMAND_DISALLOWED, "the command is not allowed now"},
    {YS_HCI_UNSUPPORTED, "the controller does not support this"},
    {YS_HCI_INVALID_PARAMETERS, "a parameter is invalid"},
    {YS_HCI_REMOTE_ENDED, "the other side ended the connection"},
    {YS_HCI_REMOTE_LOW_RESOURCES, "the other side is low on resources"},
    {YS_HCI_REMOTE_POWER_OFF, "the other side is powering off"},
    {YS_HCI_LOCAL_ENDED, "this side ended the connection"},
    {YS_HCI_UNSUPPORTED_REMOTE, "the other side does not support this"},
    {YS_HCI_UNSPECIFIED, "an unspecified error"},
    {YS_HCI_LINK_RESPONSE_TIMEOUT, "a link-layer procedure was not answered"},
    {YS_HCI_COLLISION, "both sides began the same at once"},
    {YS_HCI_INSTANT_PASSED, "an agreed moment had passed"},
    {YS_HCI_DIFFERENT_COLLISION, "the other side had begun something else"},
    {YS_HCI_UNACCEPTABLE_PARAMETERS, "the connection parameters are unacceptable"},
    {YS_HCI_ADVERTISING_TIMEOUT, "advertising ended without a connection"},
    {YS_HCI_MIC_FAILURE, "an encrypted packet was forged or damaged"},
    {YS_HCI_NOT_ESTABLISHED, "the connection failed to be established"},
    {YS_HCI_UNKNOWN_SET, "there is no such advertising set"},
    {YS_HCI_LIMIT_REACHED, "the number of events is reached"},
    {YS_HCI_PACKET_TOO_LONG, "the packet is too long"},
};

static const char *find(const struct meaning *meanings, size_t count, uint8_t code, const char *otherwise)
{
    for (size_t i = 0; i < count; i++) {
        if (meanings[i].code == code)
            return meanings[i].text;
    }
    return otherwise;
}

const char *ys_att_error_text(uint8_t error)
{
    const char *otherwise = "an error that the standard reserves";
    if (error >= YS_ATT_APPLICATION_FIRST && error <= YS_ATT_APPLICATION_LAST)
        otherwise = "an error of the application";
    return find(att_errors, sizeof att_errors / sizeof att_errors[0], error, otherwise);
}

const char *ys_hci_error_text(uint8_t error)
{
    return find(hci_errors, sizeof hci_errors / sizeof hci_errors[0], error, "another error of the controller");
}
