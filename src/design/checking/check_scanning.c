/* What a device looks for. */
#include "design/checking/check_scanning.h"

#include "design/checking/check_power.h"
#include "design/checking/check_uuids.h"

#define INTERVAL_LEAST_US 2500     /* Vol 4 Part E 7.8.10 */
#define INTERVAL_MOST_US  10240000 /* the same */

static void check_times(struct ys_design *design, struct ys_device_scanning *scanning)
{
    if (!scanning->interval_us.given)
        scanning->interval_us = (struct ys_counted){.number = 100000, .place = scanning->place};
    if (!scanning->window_us.given)
        scanning->window_us =
            (struct ys_counted){.number = scanning->interval_us.number / 2, .place = scanning->interval_us.place};
    if (scanning->window_us.number < INTERVAL_LEAST_US && !scanning->window_us.given)
        scanning->window_us.number = INTERVAL_LEAST_US;
    if (scanning->interval_us.number < INTERVAL_LEAST_US || scanning->interval_us.number > INTERVAL_MOST_US)
        ys_findings_add(&design->findings, YS_ERROR, "scanning", scanning->interval_us.place,
                        "a scan interval is from 2.5 ms to 10.24 s");
    else if (scanning->window_us.number < INTERVAL_LEAST_US ||
             scanning->window_us.number > scanning->interval_us.number)
        ys_findings_add(&design->findings, YS_ERROR, "scanning", scanning->window_us.place,
                        "a scan window is from 2.5 ms to the scan interval, which is %g ms",
                        (double)scanning->interval_us.number / 1000);
}

void ys_check_scanning(struct ys_design *design)
{
    struct ys_device_scanning *scanning = &design->scanning;
    int64_t least = 0;
    if (!scanning->given)
        return;
    ys_resolve_uuid(design, YS_ADOPTED_SERVICE, &scanning->service_text, NULL, NULL, &scanning->service);
    if (ys_check_power(design, &scanning->least_text, 20, &least))
        scanning->least_dbm = (int8_t)least;
    check_times(design, scanning);
    if (scanning->service_text.text == NULL && scanning->name.text == NULL && !scanning->company.given)
        ys_findings_add(&design->findings, YS_WARNING, "scanning", scanning->place,
                        "scanning needs a criterion: service:, name: or company:");
}
