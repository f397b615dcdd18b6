/* What advertising costs in charge. */
#ifndef MEASURE_CHARGE_H
#define MEASURE_CHARGE_H

#include <stdint.h>

/* What the hardware draws. */
struct ys_energy {
    double standby_ua;
    double transmit_ma;
    double receive_ma;
    double wake_up_uc;  /* charge of waking up for an event, and of going to sleep again */
    double battery_mah; /* 0: not known */
};

/* What an advertiser did in a time. */
struct ys_activity {
    double seconds;
    uint64_t events;
    double transmit_s; /* its transmitter was on */
    double receive_s;  /* its receiver was on */
};

/* The mean current in uA:
 * standby + (events x wake-up + transmit time x transmit + receive time x receive) / time. */
double ys_charge_mean_ua(const struct ys_energy *energy, const struct ys_activity *activity);

/* How many days the battery lasts at this current; 0 if it is not known. Nothing is taken off for its own loss. */
double ys_charge_days(const struct ys_energy *energy, double mean_ua);

#endif
