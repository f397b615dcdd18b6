/* HCI packets. */
#include "wire/hci.h"
#include "bytes.h"

/*@ requires reads(reader);
    requires \valid(address) && \separated(reader, address) && \base_addr(reader->next) != \base_addr((uint8_t
   *)address); assigns *reader, *address; ensures on{Old, Here}(reader); */
void ys_get_hci_address(struct ys_reader *reader, struct ys_address *address);

/*@ requires reads(reader);
    requires \valid(parameters) && \separated(reader, parameters) && \base_addr(reader->next) != \base_addr((uint8_t
   *)parameters); assigns *reader, *parameters; ensures on{Old, Here}(reader); */
void ys_get_hci_advertising(struct ys_reader *reader, struct ys_hci_advertising *parameters);

/*@ requires reads(reader);
    requires \valid(payload) && \separated(reader, payload) && \base_addr(reader->next) != \base_addr((uint8_t
   *)payload); assigns *reader, *payload; ensures on{Old, Here}(reader); */
void ys_get_hci_payload(struct ys_reader *reader, struct ys_hci_payload *payload);

/*@ requires reads(reader);
    requires \valid(parameters) && \separated(reader, parameters) && \base_addr(reader->next) != \base_addr((uint8_t
   *)parameters); assigns *reader, *parameters; ensures on{Old, Here}(reader); */
void ys_get_hci_scan(struct ys_reader *reader, struct ys_hci_scan *parameters);

/*@ requires reads(reader);
    requires \valid(parameters) && \separated(reader, parameters) && \base_addr(reader->next) != \base_addr((uint8_t
   *)parameters); assigns *reader, *parameters; ensures on{Old, Here}(reader); */
void ys_get_hci_connect(struct ys_reader *reader, struct ys_hci_connect *parameters);

/*@ requires reads(reader);
    requires \valid(connection) && \separated(reader, connection) && \base_addr(reader->next) != \base_addr((uint8_t
   *)connection); assigns *reader, *connection; ensures on{Old, Here}(reader); */
static void get_who(struct ys_reader *reader, struct ys_hci_connection *connection);

/*@ requires reads(reader);
    requires \valid(connection) && \separated(reader, connection) && \base_addr(reader->next) != \base_addr((uint8_t
   *)connection); assigns *reader, *connection; ensures on{Old, Here}(reader); */
static void get_how(struct ys_reader *reader, struct ys_hci_connection *connection);

/*@ requires reads(reader);
    requires \valid(connection) && \separated(reader, connection) && \base_addr(reader->next) != \base_addr((uint8_t
   *)connection); assigns *reader, *connection; ensures on{Old, Here}(reader); */
void ys_get_hci_connection(struct ys_reader *reader, struct ys_hci_connection *connection);

/*@ requires reads(reader);
    requires \valid(connection) && \separated(reader, connection) && \base_addr(reader->next) != \base_addr((uint8_t
   *)connection); assigns *reader, *connection; ensures on{Old, Here}(reader); */
void ys_get_hci_enhanced_connection(struct ys_reader *reader, struct ys_hci_connection *connection);

/*@ requires reads(reader);
    requires \valid(report) && \separated(reader, report) && \base_addr(reader->next) != \base_addr((uint8_t *)report);
    assigns *reader, *report;
    ensures on{Old, Here}(reader);
    ensures !reader->bad ==> readable(report->data, report->length); */
void ys_get_hci_report(struct ys_reader *reader, struct ys_hci_report *report);

/*@ requires reads(reader);
    requires \valid(name) && \separated(reader, name) && \base_addr(reader->next) != \base_addr((uint8_t *)name);
    assigns *reader, *name;
    ensures on{Old, Here}(reader); */
void ys_get_hci_key_name(struct ys_reader *reader, struct ys_hci_key_name *name);

/*@ requires reads(reader);
    requires \valid(entry) && \separated(reader, entry) && \base_addr(reader->next) != \base_addr((uint8_t *)entry);
    assigns *reader, *entry;
    ensures on{Old, Here}(reader); */
void ys_get_hci_resolving(struct ys_reader *reader, struct ys_hci_resolving *entry);

/*@ requires reads(reader);
    requires \valid(data) && \separated(reader, data) && \base_addr(reader->next) != \base_addr((uint8_t *)data);
    assigns *reader, *data;
    ensures on{Old, Here}(reader); */
void ys_get_hci_data(struct ys_reader *reader, struct ys_hci_data *data);

/*@ requires reads(reader);
    requires \valid(command) && \separated(reader, command);
    assigns *reader, *command;
    ensures on{Old, Here}(reader);
    ensures readable(command->parameters.next, command->parameters.left); */
bool ys_get_hci_command(struct ys_reader *reader, struct ys_hci_command *command);

/*@ requires reads(reader);
    requires \valid(event) && \valid(parameters) && \separated(reader, event, parameters);
    assigns *reader, *event, *parameters;
    ensures on{Old, Here}(reader);
    ensures readable(parameters->next, parameters->left); */
bool ys_get_hci_event(struct ys_reader *reader, uint8_t *event, struct ys_reader *parameters);

#include "wire/hci.c"
