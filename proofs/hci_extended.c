/* HCI commands and events of extended advertising. */
#include "wire/hci_extended.h"
#include "bytes.h"

/*@ requires reads(reader);
    requires \valid(address) && \separated(reader, address) && \base_addr(reader->next) != \base_addr((uint8_t
   *)address); assigns *reader, *address; ensures on{Old, Here}(reader); */
void ys_get_hci_address(struct ys_reader *reader, struct ys_address *address);

/*@ requires reads(reader);
    requires \valid(set) && \separated(reader, set) && \base_addr(reader->next) != \base_addr((uint8_t *)set);
    assigns *reader, *set;
    ensures on{Old, Here}(reader); */
void ys_get_hci_set(struct ys_reader *reader, struct ys_hci_set *set);

/*@ requires reads(reader);
    requires \valid(fragment) && \separated(reader, fragment) && \base_addr(reader->next) != \base_addr((uint8_t
   *)fragment); assigns *reader, *fragment; ensures on{Old, Here}(reader); ensures !reader->bad ==>
   readable(fragment->data, fragment->length); */
void ys_get_hci_fragment(struct ys_reader *reader, struct ys_hci_fragment *fragment);

/*@ requires reads(reader);
    requires \valid(on) && \separated(reader, on) && \base_addr(reader->next) != \base_addr((uint8_t *)on);
    assigns *reader, *on;
    ensures on{Old, Here}(reader); */
void ys_get_hci_set_on(struct ys_reader *reader, struct ys_hci_set_on *on);

/*@ requires reads(reader);
    requires \valid(scan) && \separated(reader, scan) && \base_addr(reader->next) != \base_addr((uint8_t *)scan);
    assigns *reader, *scan;
    ensures on{Old, Here}(reader); */
void ys_get_hci_extended_scan(struct ys_reader *reader, struct ys_hci_extended_scan *scan);

/*@ requires reads(reader);
    requires \valid(connect) && \separated(reader, connect) && \base_addr(reader->next) != \base_addr((uint8_t
   *)connect); assigns *reader, *connect; ensures on{Old, Here}(reader); */
void ys_get_hci_extended_connect(struct ys_reader *reader, struct ys_hci_extended_connect *connect);

/*@ requires reads(reader);
    requires \valid(report) && \separated(reader, report) && \base_addr(reader->next) != \base_addr((uint8_t *)report);
    assigns *reader, *report;
    ensures on{Old, Here}(reader);
    ensures !reader->bad ==> readable(report->data, report->length); */
void ys_get_hci_extended_report(struct ys_reader *reader, struct ys_hci_extended_report *report);

/*@ requires reads(reader);
    requires \valid(terminated) && \separated(reader, terminated) && \base_addr(reader->next) != \base_addr((uint8_t
   *)terminated); assigns *reader, *terminated; ensures on{Old, Here}(reader); */
void ys_get_hci_terminated(struct ys_reader *reader, struct ys_hci_terminated *terminated);

#include "wire/hci_extended.c"
