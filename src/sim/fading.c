/* Many paths, and bodies. */
#include "sim/fading.h"

#include <math.h>

#include "sim/chance.h"

#define PI            3.14159265358979323846
#define WEAKEST       1e-6 /* of the mean power: 60 dB less */
#define BODY_TURNS_NS UINT64_C(5000000000)

/* Keep draws apart from those of others for the same pair. */
#define CHANCE_OF_FADING UINT64_C(0xfade000000000000)
#define CHANCE_OF_BODIES UINT64_C(0xb0d1000000000000)

static double uniform(struct ys_chance *chance)
{
    return ((double)(ys_chance_next(chance) >> 11) + 0.5) / 9007199254740992.0; /* 2^53 */
}

/* One steady path with K times the power of all others together, which are many: Rician. Without it: Rayleigh. */
int32_t fading_cdb(const struct ys_air_model *model, uint64_t pair, uint8_t channel, uint64_t at_ns)
{
    if (model->fading == YS_FADING_NONE)
        return 0;
    uint64_t block = model->coherence_us > 0 ? at_ns / (model->coherence_us * UINT64_C(1000)) + 1 : 0;
    struct ys_chance chance = ys_chance_of(model->seed ^ CHANCE_OF_FADING ^ block * UINT64_C(0x9e3779b97f4a7c15),
                                           (uint64_t)channel << 32 ^ pair);
    double k = model->fading == YS_FADING_RICIAN ? pow(10, model->rician_k_db / 10) : 0;
    double spread = sqrt(-log(uniform(&chance)) / (k + 1)); /* of the many, as a distance from the steady one */
    double angle = 2 * PI * uniform(&chance);
    double x = sqrt(k / (k + 1)) + spread * cos(angle);
    double y = spread * sin(angle);
    return (int32_t)lround(-1000 * log10(fmax(x * x + y * y, WEAKEST)));
}

int32_t body_cdb(const struct ys_air_model *model, uint32_t number, double body_db, double x_m, double y_m,
                 uint64_t at_ns)
{
    if (body_db <= 0)
        return 0;
    struct ys_chance chance = ys_chance_of(model->seed ^ CHANCE_OF_BODIES ^ at_ns / BODY_TURNS_NS, number);
    double away = atan2(y_m, x_m) - 2 * PI * uniform(&chance);
    return (int32_t)lround(100 * body_db * (1 - cos(away)) / 2);
}
