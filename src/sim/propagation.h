/* How strong a sender is where somebody listens: a loss that grows with the distance, and shadowing that each pair of
 * places has of its own.
 *
 * Powers are added and compared in attowatts (10^-18 W), as whole numbers, so that what is added can be taken away
 * again without a remainder. -150 dBm is 1 aW. */
#ifndef SIM_PROPAGATION_H
#define SIM_PROPAGATION_H

#include <stdbool.h>
#include <stdint.h>

/* What the air does to packets. The loss over d metres is loss_at_1m_db + 10 x exponent x log10(d), and for each pair
 * of places a normally distributed shadowing more or less. */
struct ys_air_model {
    double loss_at_1m_db;      /* 0 to 150; 40 in the open at 2.44 GHz */
    double exponent;           /* 0 to 10; 2 in the open, about 3 between machines */
    double shadowing_db;       /* standard deviation, 0 to 30 */
    double capture_db;         /* 0 to 60: so much stronger than all else a packet must be to come through */
    int8_t sensitivity_dbm[4]; /* by enum ys_phy: what is weaker is not heard */
    uint64_t seed;             /* of the shadowing */
};

/* A hall full of machines: an exponent of 2.7 with 4 dB of shadowing, receivers as they are sold. */
extern const struct ys_air_model ys_air_hall;

struct ys_propagation;

/* NULL if there is no memory. */
struct ys_propagation *ys_propagation_new(const struct ys_air_model *model);
void ys_propagation_free(struct ys_propagation *propagation);

/* Puts device `number` at a place, in metres; all are at 0, 0 before. Two at one place are 10 cm apart. False if there
 * is no memory. */
bool ys_propagation_place(struct ys_propagation *propagation, uint16_t number, double x_m, double y_m);

/* The loss between two devices, the same both ways, in hundredths of a dB. */
int32_t ys_propagation_loss_cdb(struct ys_propagation *propagation, uint16_t one, uint16_t other);

/* A power given in hundredths of a dBm, in attowatts; at most that of 40 dBm. */
uint64_t ys_propagation_power_aw(const struct ys_propagation *propagation, int32_t power_cdbm);

#endif
