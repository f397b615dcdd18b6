/* The charge of a device, from its activity: one formula for advertising, scanning and connections. */
#ifndef MEASURE_CHARGE_H
#define MEASURE_CHARGE_H

#include <stdint.h>

/* A part of each event that lasts so long, whatever the event is. */
struct ys_phase {
    double us;
    double ma;
};

/* What the transmitter draws at a power. */
struct ys_power_level {
    double dbm;
    double ma;
};

#define YS_POWER_LEVELS 8

/* What the hardware draws. */
struct ys_energy {
    double standby_ua;
    struct ys_phase wake;                            /* until its clocks run */
    struct ys_phase prepare;                         /* it computes before its radio is on */
    struct ys_phase ramp;                            /* its radio is switched on */
    struct ys_phase finish;                          /* it computes afterwards, and goes to sleep */
    struct ys_power_level transmit[YS_POWER_LEVELS]; /* by power, ascending; at least one */
    unsigned levels;
    double turn_ma; /* between a packet and the next; 0: as its receiver */
    double receive_ma;
    double wake_up_uc;     /* the charge of all else of an event */
    double battery_mah;    /* 0: not known */
    double full_v;         /* of the battery; 0: not known, also the next: */
    double empty_v;        /* when it has given all of it */
    double cut_off_v;      /* the hardware stops at this */
    double self_discharge; /* share of what is in it that it loses in a year by itself, 0 to less than 1 */
};

#define YS_ACTIVITY_POWERS 4

/* What it did in a time. */
struct ys_activity {
    double seconds;
    uint64_t events;                       /* that it was awake for */
    double transmit_s[YS_ACTIVITY_POWERS]; /* its transmitter was on, with this power: */
    double power_dbm[YS_ACTIVITY_POWERS];
    double turn_s;    /* its radio turned round, or stayed awake between packets */
    double receive_s; /* its receiver was on */
};

/* What the parts of it come to, in microcoulombs. */
struct ys_charge {
    double standby_uc;
    double events_uc;
    double transmit_uc;
    double turn_uc;
    double receive_uc;
};

/* The current of the transmitter at a power: interpolated between known powers, and that of the nearest one beyond
 * them. */
double ys_transmit_ma(const struct ys_energy *energy, double power_dbm);

/* The fixed charge of each event, in microcoulombs. */
double ys_event_uc(const struct ys_energy *energy);

struct ys_charge ys_charge_of(const struct ys_energy *energy, const struct ys_activity *activity);

/* The mean current in uA: the sum of all parts, by the time. */
double ys_charge_mean_ua(const struct ys_energy *energy, const struct ys_activity *activity);

/* The share of a battery that the hardware can use: its voltage falls evenly from full to empty, and it stops at its
 * cut-off. */
double ys_battery_usable(const struct ys_energy *energy);

/* The life of the battery in days at this current, with its self-discharge; 0 if unknown. */
double ys_charge_days(const struct ys_energy *energy, double mean_ua);

#endif
