/* What a device draws. */
#include "measure/charge.h"

#include <math.h>

#define HOURS_A_YEAR 8766.0

double ys_transmit_ma(const struct ys_energy *energy, double power_dbm)
{
    const struct ys_power_level *levels = energy->transmit;
    if (energy->levels == 0 || power_dbm <= levels[0].dbm)
        return levels[0].ma;
    for (unsigned i = 1; i < energy->levels; i++) {
        if (power_dbm > levels[i].dbm)
            continue;
        double part = (power_dbm - levels[i - 1].dbm) / (levels[i].dbm - levels[i - 1].dbm);
        return levels[i - 1].ma + part * (levels[i].ma - levels[i - 1].ma);
    }
    return levels[energy->levels - 1].ma;
}

static double phase_uc(const struct ys_phase *phase)
{
    return phase->us * phase->ma / 1000;
}

double ys_event_uc(const struct ys_energy *energy)
{
    return energy->wake_up_uc + phase_uc(&energy->wake) + phase_uc(&energy->prepare) + phase_uc(&energy->ramp) +
           phase_uc(&energy->finish);
}

struct ys_charge ys_charge_of(const struct ys_energy *energy, const struct ys_activity *activity)
{
    double turn_ma = energy->turn_ma > 0 ? energy->turn_ma : energy->receive_ma;
    struct ys_charge charge = {
        .standby_uc = energy->standby_ua * activity->seconds,
        .events_uc = (double)activity->events * ys_event_uc(energy),
        .turn_uc = 1000 * activity->turn_s * turn_ma,
        .receive_uc = 1000 * activity->receive_s * energy->receive_ma,
    };
    for (unsigned i = 0; i < YS_ACTIVITY_POWERS; i++)
        charge.transmit_uc += 1000 * activity->transmit_s[i] * ys_transmit_ma(energy, activity->power_dbm[i]);
    return charge;
}

double ys_charge_mean_ua(const struct ys_energy *energy, const struct ys_activity *activity)
{
    struct ys_charge charge = ys_charge_of(energy, activity);
    if (activity->seconds <= 0)
        return 0;
    return (charge.standby_uc + charge.events_uc + charge.transmit_uc + charge.turn_uc + charge.receive_uc) /
           activity->seconds;
}

double ys_battery_usable(const struct ys_energy *energy)
{
    if (energy->full_v <= energy->empty_v || energy->cut_off_v <= energy->empty_v)
        return 1;
    return fmax((energy->full_v - energy->cut_off_v) / (energy->full_v - energy->empty_v), 0);
}

/* The charge decreases by the current and by self-discharge, until the rest cannot be used. */
double ys_charge_days(const struct ys_energy *energy, double mean_ua)
{
    double all_uah = energy->battery_mah * 1000;
    double usable_uah = all_uah * ys_battery_usable(energy);
    double lost_ua = -log(1 - energy->self_discharge) / HOURS_A_YEAR * all_uah; /* at first */
    if (mean_ua <= 0 || all_uah <= 0)
        return 0;
    if (energy->self_discharge <= 0)
        return usable_uah / mean_ua / 24;
    double left = (all_uah - usable_uah) / all_uah;
    return log((mean_ua + lost_ua) / (mean_ua + lost_ua * left)) / (lost_ua / all_uah) / 24;
}
