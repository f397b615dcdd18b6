/* Attributes: their types, access rights, and the sources and destinations of their values. */
#ifndef HOST_GATT_SERVER_ATTRIBUTES_H
#define HOST_GATT_SERVER_ATTRIBUTES_H

#include <yarnswift/host.h>

/* The reason why a request waits; the comment at the top of server.c draws it. */
enum stage { STAGE_NONE, STAGE_CONSENT, STAGE_CONSENTED, STAGE_HANDLER };

/* Whether it declares a service, primary or secondary: `size` is then the last handle of its group. */
bool ys_attribute_is_service(const struct ys_attribute *attribute);
const struct ys_attribute *ys_attribute_at(const struct ys_host *host, uint16_t handle);
struct ys_uuid ys_attribute_type(const struct ys_table *table, const struct ys_attribute *attribute);
bool ys_attribute_has_type(const struct ys_table *table, const struct ys_attribute *attribute,
                           const struct ys_uuid *type);
uint8_t ys_attribute_read(struct ys_host *host, struct ys_connection *connection, uint16_t handle,
                          struct ys_writer *value);
uint8_t ys_attribute_write(struct ys_host *host, struct ys_connection *connection, uint16_t handle,
                           struct ys_reader *value);
/* Whether a client may read or write it: by its rights, and then by the application's consent, where it asks. */
uint8_t ys_attribute_check_read(struct ys_host *host, const struct ys_connection *connection,
                                const struct ys_attribute *attribute);
uint8_t ys_attribute_check_write(const struct ys_host *host, const struct ys_connection *connection,
                                 const struct ys_attribute *attribute, bool command);
uint8_t ys_attribute_check_length(const struct ys_attribute *attribute, size_t length);
uint8_t ys_attribute_consent_to_write(struct ys_host *host, const struct ys_connection *connection,
                                      const struct ys_attribute *attribute);
/* The token of the next access of this connection that waits. */
uint32_t ys_attribute_token(const struct ys_host *host, const struct ys_connection *connection);
/* Whether the firmware handles writes to it. */
bool ys_attribute_has_write_handler(const struct ys_attribute *attribute);
/* The length of a value that the host keeps as bytes; 0 of any other, which is only written whole. */
size_t ys_attribute_stored_length(const struct ys_host *host, uint16_t handle);
/* Whether these bytes are valid for a value that the host keeps. */
uint8_t ys_attribute_check_part(const struct ys_host *host, const struct ys_connection *connection, uint16_t handle,
                                const uint8_t *bytes, size_t length);
/* Writes a part of a value that the host keeps, which is `end` bytes long with all of its parts; all has been checked.
 */
void ys_attribute_write_part(struct ys_host *host, struct ys_connection *connection, uint16_t handle, uint16_t offset,
                             const uint8_t *bytes, size_t length, size_t end);
void ys_attributes_reset(struct ys_host *host);

/* Writes a client configuration; the rights have been checked. */
uint8_t ys_configuration_write(struct ys_host *host, struct ys_connection *connection, uint16_t notifiable,
                               uint16_t configuration);

/* The CCCD of a notifiable on a connection: bits of notifications and indications. */
uint16_t ys_configuration_of(const struct ys_connection *connection, uint16_t notifiable);

#endif
