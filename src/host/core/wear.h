/* Writes of the port's store wear it out, and peers cause them: as many as come seldom, and no flood of them. */
#ifndef HOST_CORE_WEAR_H
#define HOST_CORE_WEAR_H

#include <yarnswift/host.h>

/* Whether the store may be written because of what a peer did: 16 times at once, and then once a minute. It counts as
 * written. */
bool ys_store_may_write(struct ys_host *host);

#endif
