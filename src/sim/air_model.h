/* What the air is like. */
#ifndef SIM_AIR_MODEL_H
#define SIM_AIR_MODEL_H

#include <stdint.h>

/* How a receiver gets a packet. */
enum ys_reception_kind {
    YS_RECEPTION_LEVELS, /* whole, if it is stronger than the sensitivity, and than all else by the capture ratio */
    YS_RECEPTION_REAL    /* bit by bit, beside noise and interference: reception.h */
};

/* What many paths do to its strength. */
enum ys_fading { YS_FADING_NONE, YS_FADING_RICIAN, YS_FADING_RAYLEIGH };

/* The effect of the air on packets. The loss over d metres is loss_at_1m_db + 10 x exponent x log10(d), plus a normally
 * distributed shadowing for each pair of places. */
struct ys_air_model {
    double loss_at_1m_db;      /* 0 to 150; 40 in the open at 2.44 GHz */
    double exponent;           /* 0 to 10; 2 in the open, about 3 between machines */
    double shadowing_db;       /* standard deviation, 0 to 30 */
    double capture_db;         /* 0 to 60: so much stronger than all else a packet must be to come through */
    int8_t sensitivity_dbm[4]; /* by enum ys_phy: what is weaker is not heard; where one bit of a thousand is wrong */
    enum ys_reception_kind reception;
    double noise_figure_db; /* of receivers, beside thermal noise, 0 to 30; only of real reception */
    enum ys_fading fading;
    double rician_k_db;    /* of the steady path against all others together */
    uint32_t coherence_us; /* so long fading stays as it is; 0: always, it belongs to two places and a channel */
    uint64_t seed;         /* of shadowing, fading, and errors */
};

/* A hall full of machines: an exponent of 2.7 with 4 dB of shadowing, receivers as they are sold. */
extern const struct ys_air_model ys_air_hall;

#endif
