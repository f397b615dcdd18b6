/* What people see and do when devices pair. */
#include "world/people.h"

#include <stdio.h>
#include <string.h>

#include <yarnswift/pairing.h>

#include "design/making/outcome.h"
#include "world/world.h"

/* How long it takes to read six digits and to do something. */
#define TAKES_NS (2 * YS_NS_PER_S)

void ys_people_show(const struct ys_person *person, uint32_t number)
{
    struct ys_world *world = person->world;
    const char *name = person->name;
    if (person->unseen)
        return;
    struct ys_shown *at = &world->shown[0];
    for (size_t i = 0; i < YS_SHOWN_MOST; i++) {
        if (world->shown[i].name == NULL || strcmp(world->shown[i].name, name) == 0) {
            at = &world->shown[i];
            break;
        }
    }
    *at = (struct ys_shown){.name = name, .number = number, .at_ns = ys_world_now_ns(world)};
}

/* What was shown last on another device; false if nothing was. */
static bool read_off(const struct ys_person *person, uint32_t *number)
{
    const struct ys_shown *found = NULL;
    for (size_t i = 0; i < YS_SHOWN_MOST && person->world->shown[i].name != NULL; i++) {
        const struct ys_shown *shown = &person->world->shown[i];
        if (strcmp(shown->name, person->name) != 0 && (found == NULL || shown->at_ns > found->at_ns))
            found = shown;
    }
    *number = found != NULL ? found->number : 0;
    return found != NULL;
}

static void enter(const struct ys_person *person)
{
    uint32_t number;
    if (!read_off(person, &number))
        number = 123456; /* nothing shows one: the same is entered at both */
    if (person->world->people == YS_PEOPLE_WRONG)
        number = (number + 1) % (YS_PASSKEY_MAX + 1);
    if (person->world->people == YS_PEOPLE_DIGITS)
        number = person->world->digits;
    ys_world_say(person->world, YS_SIDE_SCENE, "people", "enter %06u at %s", (unsigned)number, person->name);
    (void)ys_passkey_enter(person->host, person->connection, number);
}

static void compare(const struct ys_person *person)
{
    uint32_t number;
    bool same = read_off(person, &number) && number == person->number && person->world->people == YS_PEOPLE_RIGHT;
    ys_world_say(person->world, YS_SIDE_SCENE, "people", "say at %s that the numbers %s", person->name,
                 same ? "are the same" : "differ");
    (void)ys_number_confirm(person->host, person->connection, same);
}

/* Without people a passkey is guessed, and numbers are always the same. */
static void guess(const struct ys_person *person)
{
    ys_world_say(person->world, YS_SIDE_SCENE, "nobody", "is at %s, which %s", person->name,
                 person->compares ? "says that the numbers are the same" : "guesses 123456");
    if (person->compares)
        (void)ys_number_confirm(person->host, person->connection, true);
    else
        (void)ys_passkey_enter(person->host, person->connection, 123456);
}

static void act(void *context)
{
    const struct ys_person *person = context;
    if (person->unseen) {
        guess(person);
        ys_world_stir(person->world);
        return;
    }
    if (person->world->people == YS_PEOPLE_NOTHING)
        return;
    if (person->world->people == YS_PEOPLE_CANCEL) {
        ys_world_say(person->world, YS_SIDE_SCENE, "people", "cancel at %s", person->name);
        (void)ys_pairing_cancel(person->host, person->connection);
    } else if (person->compares) {
        compare(person);
    } else {
        enter(person);
    }
    ys_world_stir(person->world);
}

bool ys_people_touch(struct ys_person *one, struct ys_person *other, const char **problem)
{
    enum ys_result result = ys_oob_make(one->host);
    one->has_oob = false;
    other->has_oob = false;
    if (result == YS_OK)
        result = ys_oob_make(other->host);
    *problem = ys_result_text(result);
    return result == YS_OK;
}

bool ys_people_have_touched(struct ys_person *one, struct ys_person *other)
{
    if (!one->has_oob || !other->has_oob)
        return false;
    one->peer_oob = other->own_oob;
    other->peer_oob = one->own_oob;
    ys_oob_set(one->host, &one->peer_oob, NULL);
    ys_oob_set(other->host, &other->peer_oob, NULL);
    return true;
}

void ys_person_see(struct ys_person *person, const struct ys_event *event)
{
    if (event->kind == YS_EVENT_OOB_READY) {
        person->own_oob = *event->u.oob;
        person->has_oob = true;
    }
    if (event->kind != YS_EVENT_PASSKEY_WANTED && event->kind != YS_EVENT_NUMBER_COMPARE)
        return;
    person->connection = event->connection;
    person->compares = event->kind == YS_EVENT_NUMBER_COMPARE;
    person->number = event->u.passkey;
    person->timer.fire = act;
    person->timer.context = person;
    ys_clock_set(person->world->clock, &person->timer, ys_world_now_ns(person->world) + TAKES_NS);
}

void ys_person_leave(struct ys_person *person)
{
    ys_clock_cancel(person->world->clock, &person->timer);
}

static const char *say_secured(const struct ys_event *event, char *text, size_t size)
{
    if (event->u.secured.paired)
        (void)snprintf(text, size, "is paired: %s; level %u, a key of %u bytes%s",
                       ys_method_words(event->u.secured.method), event->u.secured.level, event->u.secured.key_size,
                       event->u.secured.bond != 0 ? "" : ", not remembered");
    else
        (void)snprintf(text, size, "is encrypted with the key of a remembered peer: level %u", event->u.secured.level);
    return text;
}

static const char *say_bond(const struct ys_event *event)
{
    static const char *const words[] = {NULL, "forgets a peer", "has dropped a damaged record of a peer",
                                        "could not store the bond"};
    return words[event->u.bond.change];
}

const char *ys_pairing_say(const struct ys_event *event, char *text, size_t size)
{
    switch (event->kind) {
    case YS_EVENT_SECURITY_WANTED:
        (void)snprintf(text, size, "is asked for a link that is %s", ys_level_words(event->u.level));
        return text;
    case YS_EVENT_PASSKEY_SHOW:
        (void)snprintf(text, size, "shows the passkey %06u", (unsigned)event->u.passkey);
        return text;
    case YS_EVENT_PASSKEY_WANTED:
        return "asks for the passkey";
    case YS_EVENT_NUMBER_COMPARE:
        (void)snprintf(text, size, "shows the number %06u, and asks whether the other side shows the same",
                       (unsigned)event->u.passkey);
        return text;
    case YS_EVENT_SECURED:
        return say_secured(event, text, size);
    case YS_EVENT_PAIRING_FAILED:
        (void)snprintf(text, size, "has not paired%s: %s", event->u.failed.by_peer ? ", says the other side" : "",
                       ys_smp_reason_text(event->reason));
        return text;
    case YS_EVENT_ENCRYPTION_FAILED:
        (void)snprintf(text, size, "could not encrypt: %s (0x%02X)", ys_hci_error_text(event->reason), event->reason);
        return text;
    case YS_EVENT_BOND:
        return say_bond(event);
    default:
        return NULL;
    }
}
