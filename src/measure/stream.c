/* A stream of values, measured where it arrives. */
#include "measure/stream.h"

void ys_stream_meter_take(struct ys_stream_meter *meter, uint64_t at_ns, uint64_t length)
{
    if (meter->count == 0) {
        meter->first_ns = at_ns;
        meter->first_bytes = length;
    }
    meter->count++;
    meter->bytes += length;
    meter->last_ns = at_ns;
}

static double per_second(const struct ys_stream_meter *meter, uint64_t amount)
{
    uint64_t time_ns = meter->last_ns - meter->first_ns;
    return meter->count < 2 || time_ns == 0 ? 0 : (double)amount * 1e9 / (double)time_ns;
}

double ys_stream_meter_rate_hz(const struct ys_stream_meter *meter)
{
    return per_second(meter, meter->count - 1);
}

double ys_stream_meter_goodput_bps(const struct ys_stream_meter *meter)
{
    return per_second(meter, (meter->bytes - meter->first_bytes) * 8);
}
