/* Charge. */
#include "measure/charge.h"

double ys_charge_mean_ua(const struct ys_energy *energy, const struct ys_activity *activity)
{
    double charge_uc = (double)activity->events * energy->wake_up_uc +
                       1000 * (activity->transmit_s * energy->transmit_ma + activity->receive_s * energy->receive_ma);
    return energy->standby_ua + charge_uc / activity->seconds;
}

double ys_charge_days(const struct ys_energy *energy, double mean_ua)
{
    return mean_ua > 0 ? energy->battery_mah * 1000 / mean_ua / 24 : 0;
}
