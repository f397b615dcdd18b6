/* Writes of the port's store wear it out, and peers cause them: as many as come seldom, and no flood of them. */
#ifndef HOST_CORE_WEAR_H
#define HOST_CORE_WEAR_H

#include <yarnswift/host.h>

/* Whether a peer may cause a write to the store: 16 times in a row, then once a minute. A positive answer counts as a
 * write. */
bool ys_store_may_write(struct ys_host *host);

#endif
