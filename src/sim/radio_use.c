/* What a controller's radio was used for. */
#include "sim/radio_use.h"

#define STAYS_AWAKE_NS 400000

/* From the end of a packet until the receiver is on: 16 us before an answer may come. */
#define TURNS_NS 134000

static void begin_use(struct ys_radio_use *use, uint64_t now_ns)
{
    uint64_t gap_ns = now_ns > use->busy_until_ns ? now_ns - use->busy_until_ns : 0;
    if (!use->any || gap_ns > STAYS_AWAKE_NS)
        use->events++;
    else
        use->turn_ns += gap_ns;
    use->any = true;
    if (now_ns > use->busy_until_ns)
        use->busy_until_ns = now_ns;
}

void ys_radio_use_listen(struct ys_radio_use *use, uint64_t now_ns)
{
    if (use->receivers++ > 0)
        return;
    if (use->any && use->sends_until_ns >= now_ns) { /* it has sent: it turns round, and listens for the answer */
        use->turn_ns += TURNS_NS;
        use->since_ns = use->sends_until_ns + TURNS_NS;
        return;
    }
    begin_use(use, now_ns);
    use->since_ns = now_ns;
}

void ys_radio_use_stop(struct ys_radio_use *use, uint64_t now_ns)
{
    if (use->receivers == 0 || --use->receivers > 0)
        return;
    use->receive_ns += now_ns > use->since_ns ? now_ns - use->since_ns : 0;
    if (now_ns > use->busy_until_ns)
        use->busy_until_ns = now_ns;
}

void ys_radio_use_send(struct ys_radio_use *use, uint64_t now_ns, uint64_t duration_ns, int8_t power_dbm)
{
    uint8_t which = 0;
    if (use->receivers == 0)
        begin_use(use, now_ns);
    while (which < use->powers && use->power_dbm[which] != power_dbm)
        which++;
    if (which == use->powers && use->powers < YS_RADIO_POWERS)
        use->power_dbm[use->powers++] = power_dbm;
    which = which < YS_RADIO_POWERS ? which : YS_RADIO_POWERS - 1;
    use->transmit_ns[which] += duration_ns;
    use->sends_until_ns = now_ns + duration_ns;
    if (use->sends_until_ns > use->busy_until_ns)
        use->busy_until_ns = use->sends_until_ns;
}
