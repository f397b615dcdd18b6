/* What a radio was used for, as charge is reckoned. */
#include "world/activity.h"

#include <stddef.h>

static double seconds_of(uint64_t to_ns, uint64_t from_ns)
{
    return (double)(to_ns - from_ns) / 1e9;
}

/* The place of a power, or of the last if there are too many. */
static unsigned place_of(struct ys_activity *activity, double power_dbm)
{
    for (unsigned i = 0; i < YS_ACTIVITY_POWERS; i++) {
        if (activity->transmit_s[i] <= 0)
            activity->power_dbm[i] = power_dbm;
        if (activity->power_dbm[i] == power_dbm)
            return i;
    }
    return YS_ACTIVITY_POWERS - 1;
}

void ys_activity_add(struct ys_activity *activity, const struct ys_radio_use *from, const struct ys_radio_use *to)
{
    static const struct ys_radio_use nothing;
    from = from != NULL ? from : &nothing;
    activity->events += to->events - from->events;
    activity->receive_s += seconds_of(to->receive_ns, from->receive_ns);
    activity->turn_s += seconds_of(to->turn_ns, from->turn_ns);
    for (uint8_t i = 0; i < to->powers; i++) {
        double seconds = seconds_of(to->transmit_ns[i], from->transmit_ns[i]);
        if (seconds > 0)
            activity->transmit_s[place_of(activity, to->power_dbm[i])] += seconds;
    }
}
