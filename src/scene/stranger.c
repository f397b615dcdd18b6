/* What a central does that no host does for it: it asks to be paired, and it talks nonsense. */
#include <string.h>

#include "scene/central_parts.h"
#include "sim/chance.h"
#include "simulated/simulated.h"
#include "wire/att.h"
#include "wire/hci.h"
#include "wire/l2cap.h"
#include "wire/smp.h"

#define NONSENSE_EVERY_NS (20 * YS_NS_PER_MS)
#define NONSENSE_MOST     60
#define CHANCE_OF_TALK    UINT64_C(0x400000000)
#define PAIR_AGAIN_NS     YS_NS_PER_S
#define PAIR_TRIES        3

/* pairing */

static void ask(struct ys_task *task)
{
    uint8_t request[YS_SMP_PDU_MAX];
    struct ys_writer writer = ys_writer_to(request, sizeof request);
    ys_put_smp(&writer,
               &(struct ys_smp_pdu){.code = YS_SMP_PAIRING_REQUEST, .capability = YS_CAPABILITY_NONE, .key_size = 16});
    ys_simulated_inject(central_port(task->central), task->peer->connection, YS_L2CAP_SECURITY, request,
                        (uint16_t)ys_writer_stored(&writer));
}

static void end_pairing(struct ys_task *task)
{
    task->central->pairing = NULL;
}

static void ask_again(struct ys_task *task)
{
    if (!task->answered) {
        end_pairing(task);
        task_end(task, false, "failed to pair: no answer came");
        return;
    }
    task->answered = false;
    ys_clock_set(task->central->world->clock, &task->timer, ys_world_now_ns(task->central->world) + task->patience_ns);
    ask(task);
}

static void refused(struct ys_task *task, uint8_t reason)
{
    struct ys_central *central = task->central;
    uint8_t temper = central->traits->temper;
    task->answered = true;
    task->error = reason;
    if (temper == YS_INSISTS && ++task->again < PAIR_TRIES) {
        ys_clock_set(central->world->clock, &task->timer, ys_world_now_ns(central->world) + PAIR_AGAIN_NS);
        return;
    }
    end_pairing(task);
    task_end(task, false, "is refused to pair%s: %s (0x%02X)%s", temper == YS_INSISTS ? ", three times" : "",
             ys_smp_reason_text(reason), reason, temper == YS_LEAVES ? ", and leaves" : "");
    if (temper == YS_LEAVES)
        (void)ys_disconnect(central->host, task->peer->connection);
}

void ys_central_observe(struct ys_central *central, const uint8_t *packet, size_t length)
{
    struct ys_reader reader = ys_reader_of(packet, length);
    struct ys_hci_data data;
    struct ys_l2cap_header header;
    if (central->pairing == NULL || ys_get_u8(&reader) != YS_HCI_DATA)
        return;
    ys_get_hci_data(&reader, &data);
    ys_get_l2cap_header(&reader, &header);
    size_t left = ys_reader_left(&reader);
    struct ys_smp_pdu pdu;
    if (ys_reader_ok(&reader) && header.channel == YS_L2CAP_SECURITY &&
        ys_smp_decode(ys_get_bytes(&reader, left), left, &pdu) == YS_SMP_GOOD && pdu.code == YS_SMP_PAIRING_FAILED &&
        data.handle == central->pairing->peer->connection)
        refused(central->pairing, pdu.reason);
}

void ys_begin_pair(struct ys_task *task, struct ys_peer *peer)
{
    struct ys_central *central = peer->central;
    task_begin(task, central, peer, "pair", 0);
    task->give_up = ask_again;
    if (!peer->connected || central->pairing != NULL) {
        task_end(task, false, "cannot pair: %s", peer->connected ? "it does already" : "there is no connection");
        return;
    }
    central->pairing = task;
    ask(task);
}

/* nonsense */

static uint16_t compose(struct ys_chance *chance, uint8_t *bytes, uint16_t *channel)
{
    static const uint16_t channels[] = {YS_L2CAP_ATT, YS_L2CAP_ATT, YS_L2CAP_ATT, YS_L2CAP_SIGNALLING,
                                        YS_L2CAP_SECURITY};
    uint32_t which = ys_chance_below(chance, sizeof channels / sizeof channels[0] + 1);
    uint16_t length = (uint16_t)ys_chance_below(chance, NONSENSE_MOST);
    ys_chance_fill(chance, bytes, NONSENSE_MOST);
    *channel =
        which < sizeof channels / sizeof channels[0] ? channels[which] : (uint16_t)ys_chance_below(chance, UINT16_MAX);
    if (*channel == YS_L2CAP_ATT && ys_chance_below(chance, 2) == 0) { /* a known opcode and a likely handle */
        bytes[0] = (uint8_t)(bytes[0] & 0x3f);
        bytes[1] = (uint8_t)(bytes[1] & 0x3f);
        bytes[2] = 0;
    }
    return length;
}

static void talk(struct ys_task *task)
{
    struct ys_central *central = task->central;
    uint64_t now_ns = ys_world_now_ns(central->world);
    struct ys_chance chance = ys_chance_of(central->world->seed + now_ns, CHANCE_OF_TALK + central->number);
    uint8_t bytes[NONSENSE_MOST];
    uint16_t channel = 0;
    if (!task->peer->connected || now_ns >= task->began_ns + task->patience_ns) {
        task_end(task, true, "has talked nonsense, %zu frames%s", task->again,
                 task->peer->connected ? "" : ", until the link ended");
        return;
    }
    uint16_t length = compose(&chance, bytes, &channel);
    ys_simulated_inject(central_port(central), task->peer->connection, channel, bytes, length);
    task->again++;
    ys_clock_set(central->world->clock, &task->timer, now_ns + NONSENSE_EVERY_NS);
}

void ys_begin_nonsense(struct ys_task *task, struct ys_peer *peer, uint64_t for_ns)
{
    task_begin(task, peer->central, peer, "talk", for_ns);
    task->give_up = talk;
    if (!peer->connected)
        task_end(task, false, "cannot talk nonsense: there is no connection");
    else
        talk(task);
}
