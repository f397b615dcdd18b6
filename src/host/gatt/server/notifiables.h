/* Characteristics that notify or indicate, by their place among all of them. */
#ifndef HOST_GATT_SERVER_NOTIFIABLES_H
#define HOST_GATT_SERVER_NOTIFIABLES_H

#include <yarnswift/host.h>

/* The place of a characteristic, by its value's handle; YS_NONE if it does neither. */
uint16_t ys_notifiable_of(const struct ys_host *host, uint16_t handle);
/* Makes changed values pending for every subscriber; and the milliseconds until the next become pending. */
void ys_notify_collect(struct ys_host *host, uint32_t now_ms);
uint32_t ys_notify_wait_ms(const struct ys_host *host, uint32_t now_ms);

#endif
