/* A host that pairs: what pairing asks of the other parts. */
#include <yarnswift/pairing.h>

#include "host/core/hooks.h"
#include "host/gap/advertising.h"
#include "host/gatt/server/remembered.h"
#include "host/smp/demand.h"
#include "host/smp/pairing.h"

enum ys_result ys_host_use_pairing(struct ys_host *host, struct ys_pairing *pairing, const struct ys_security *security)
{
    static const struct ys_pairing_calls calls = {
        .demanded = ys_pairing_demanded,
        .bond_used = ys_remembered_load,
        .bond_gone = ys_remembered_forget,
        .renew = ys_gap_renew,
    };
    enum ys_result result = ys_pairing_use(host, pairing, security, &calls);
    if (result == YS_OK)
        ys_remembered_use(host);
    return result;
}
