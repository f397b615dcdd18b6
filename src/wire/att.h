/* PDUs of the attribute protocol (Core 5.4 Vol 3 Part F 3.4), each as one flat struct; one table says which
 * fields each of them has. */
#ifndef WIRE_ATT_H
#define WIRE_ATT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include <yarnswift/bytes.h>
#include <yarnswift/codes.h>
#include <yarnswift/uuid.h>

#define YS_ATT_MTU_DEFAULT 23
#define YS_ATT_MTU_MAX     517
#define YS_ATT_VALUE_MAX   512

enum ys_att_opcode {
    YS_ATT_ERROR_RESPONSE = 0x01,
    YS_ATT_MTU_REQUEST = 0x02,
    YS_ATT_MTU_RESPONSE = 0x03,
    YS_ATT_FIND_INFORMATION_REQUEST = 0x04,
    YS_ATT_FIND_INFORMATION_RESPONSE = 0x05,
    YS_ATT_FIND_BY_TYPE_VALUE_REQUEST = 0x06,
    YS_ATT_FIND_BY_TYPE_VALUE_RESPONSE = 0x07,
    YS_ATT_READ_BY_TYPE_REQUEST = 0x08,
    YS_ATT_READ_BY_TYPE_RESPONSE = 0x09,
    YS_ATT_READ_REQUEST = 0x0a,
    YS_ATT_READ_RESPONSE = 0x0b,
    YS_ATT_READ_BLOB_REQUEST = 0x0c,
    YS_ATT_READ_BLOB_RESPONSE = 0x0d,
    YS_ATT_READ_MULTIPLE_REQUEST = 0x0e,
    YS_ATT_READ_MULTIPLE_RESPONSE = 0x0f,
    YS_ATT_READ_BY_GROUP_TYPE_REQUEST = 0x10,
    YS_ATT_READ_BY_GROUP_TYPE_RESPONSE = 0x11,
    YS_ATT_WRITE_REQUEST = 0x12,
    YS_ATT_WRITE_RESPONSE = 0x13,
    YS_ATT_PREPARE_WRITE_REQUEST = 0x16,
    YS_ATT_PREPARE_WRITE_RESPONSE = 0x17,
    YS_ATT_EXECUTE_WRITE_REQUEST = 0x18,
    YS_ATT_EXECUTE_WRITE_RESPONSE = 0x19,
    YS_ATT_NOTIFICATION = 0x1b,
    YS_ATT_INDICATION = 0x1d,
    YS_ATT_CONFIRMATION = 0x1e,
    YS_ATT_READ_VARIABLE_REQUEST = 0x20,
    YS_ATT_READ_VARIABLE_RESPONSE = 0x21,
    YS_ATT_NOTIFICATIONS = 0x23, /* several values in one */
    YS_ATT_WRITE_COMMAND = 0x52,
    YS_ATT_SIGNED_WRITE_COMMAND = 0xd2
};

/* Bit 6 of an opcode marks a command, which is never answered (Vol 3 Part F 3.3.1). */
#define YS_ATT_COMMAND_FLAG 0x40

/* Formats of a find information response. */
enum ys_att_format { YS_ATT_FORMAT_UUID_16 = 1, YS_ATT_FORMAT_UUID_128 = 2 };

/* Any PDU. Which fields count depends on the opcode; pointers are into the bytes it was read from. */
struct ys_att_pdu {
    uint8_t opcode;
    union {
        struct {
            uint8_t format;  /* find information response: enum ys_att_format; read by type responses: entry length;
                                execute write: 0 cancels, 1 writes */
            uint8_t request; /* error response: the opcode it answers */
            uint8_t error;   /* error response: enum ys_att_error */
        };
        uint8_t bytes[3]; /* the same, for the table of layouts; also the next: */
    };
    union {
        struct {
            uint16_t handle; /* the attribute, or the one in error */
            uint16_t first;  /* range of handles, first and last */
            uint16_t last;
            uint16_t offset; /* read blob, prepare write */
            uint16_t mtu;    /* MTU exchange */
        };
        uint16_t numbers[5];
    };
    struct ys_uuid type;
    const uint16_t *handles; /* read multiple, to be put: this many */
    size_t handle_count;
    const uint8_t *value; /* all that follows */
    size_t length;        /* of `value` */
};

enum ys_att_verdict { YS_ATT_GOOD, YS_ATT_MALFORMED, YS_ATT_UNKNOWN };

/* Reads a PDU of `length` bytes (at least 1). The opcode is set in any case. */
enum ys_att_verdict ys_att_decode(const uint8_t *bytes, size_t length, struct ys_att_pdu *pdu);

/* Puts a PDU with the fields that its opcode has. */
void ys_put_att(struct ys_writer *writer, const struct ys_att_pdu *pdu);

/* The name of an opcode in the words of the standard, or "unknown". */
const char *ys_att_opcode_name(uint8_t opcode);

/* The opcode that answers a request, or 0 if `opcode` is none. */
uint8_t ys_att_response_to(uint8_t opcode);

#endif
