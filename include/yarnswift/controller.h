/* The controller: its version, features, measurements and defaults (Core 5.4 Vol 4 Part E 7.4, 7.5, 7.8). All of it
 * goes as commands between the host's own, so the host must use them: ys_host_use_commands, see command.h. */
#ifndef YARNSWIFT_CONTROLLER_H
#define YARNSWIFT_CONTROLLER_H

#include <yarnswift/command.h>

#ifdef __cplusplus
extern "C" {
#endif

/* A command that is needed: its place in the supported commands (Vol 4 Part E 6.27), octet * 8 + bit, or another that
 * does as well (0: none), and its name. */
struct ys_need {
    uint16_t place;
    uint16_t other;
    const char *name;
};

/* Commands that borrow.h needs: the first for AES, the second for random numbers, and two for the curve. */
#define YS_BORROW_NEEDS 4
extern const struct ys_need ys_borrow_needs[YS_BORROW_NEEDS];

/* A controller. Its memory is the caller's. */
struct ys_controller_facts {
    uint8_t version; /* of HCI, as the Assigned Numbers have it: 13 is 5.4; also the next: */
    uint16_t revision;
    uint16_t company;
    uint8_t commands[64]; /* supported, a bit each */
    bool known;           /* it has told them */
    /* private */
    struct ys_command reads[2];
    const struct ys_need *needs;
    uint8_t need_count;
    char lacks[120];
};

/* Has them read at each start, and said in the log. If commands of `needs` are not supported, the start fails, and all
 * of them are in the event's step; a controller that does not tell is taken to know them. `needs` must stay valid, and
 * may be NULL. Before ys_host_start. */
void ys_controller_read(struct ys_commands *commands, struct ys_controller_facts *facts, const struct ys_need *needs,
                        uint8_t need_count);

/* Whether a command at this place (octet * 8 + bit) is supported; true if it is not known. From any context. */
bool ys_controller_supports(const struct ys_controller_facts *facts, uint16_t place);

struct ys_ask;

/* The result: `status`, enum ys_hci_error, and the value. From ys_host_run. */
typedef void ys_ask_done(struct ys_host *host, struct ys_ask *ask, uint8_t status, int16_t value);

/* Something that the controller is asked or told. Its memory is the caller's, until it is done. */
struct ys_ask {
    struct ys_command command;
    uint8_t parameters[4];
    ys_ask_done *done; /* or NULL */
    void *context;     /* the caller's */
};

/* The strength at which the peer of a connection was received last, in dBm; 127: not known. From handlers, events, work
 * and the main loop; so are all others. They return what ys_command_send returns. */
enum ys_result ys_ask_strength(struct ys_host *host, struct ys_ask *ask, uint16_t connection);

/* The power with which it is sent to, in dBm; or the greatest that there could be. */
enum ys_result ys_ask_power(struct ys_host *host, struct ys_ask *ask, uint16_t connection, bool greatest);

/* How many bytes packets of new connections carry, 27 to 251; and others from now on. YS_ERROR_ARGUMENT: there is no
 * such length. */
enum ys_result ys_ask_default_length(struct ys_host *host, struct ys_ask *ask);
enum ys_result ys_tell_default_length(struct ys_host *host, struct ys_ask *ask, uint16_t bytes);

/* The PHYs of new connections: bits of enum ys_phys; 0: whatever the controller likes. */
enum ys_result ys_tell_default_phys(struct ys_host *host, struct ys_ask *ask, uint8_t send_phys, uint8_t receive_phys);

#ifdef __cplusplus
}
#endif

#endif
