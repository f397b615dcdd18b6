/* HCI commands and events of links. */
#include "wire/hci_link.h"
#include "bytes.h"

/*@ requires reads(reader);
    requires \valid(update) && \separated(reader, update);
    assigns *reader, *update;
    ensures on{Old, Here}(reader); */
void ys_get_hci_update(struct ys_reader *reader, struct ys_hci_update *update);

/*@ requires reads(reader);
    requires \valid(length) && \separated(reader, length);
    assigns *reader, *length;
    ensures on{Old, Here}(reader); */
void ys_get_hci_length(struct ys_reader *reader, struct ys_hci_length *length);

/*@ requires reads(reader);
    requires \valid(phys) && \separated(reader, phys);
    assigns *reader, *phys;
    ensures on{Old, Here}(reader); */
void ys_get_hci_phy_wish(struct ys_reader *reader, struct ys_hci_phy_wish *phys);

/*@ requires reads(reader);
    requires \valid(update) && \separated(reader, update);
    assigns *reader, *update;
    ensures on{Old, Here}(reader); */
void ys_get_hci_phy_update(struct ys_reader *reader, struct ys_hci_phy_update *update);

/*@ requires reads(reader);
    requires \valid(parameters) && \separated(reader, parameters);
    assigns *reader, *parameters;
    ensures on{Old, Here}(reader); */
void ys_get_hci_parameters(struct ys_reader *reader, struct ys_hci_parameters *parameters, bool lengths);

#include "wire/hci_link.c"
