/* yarnswift pairing: the result of pairing with each kind of central. */
#include <stdlib.h>
#include <string.h>

#include <jansson.h>

#include "cli/page/page.h"
#include "cli/shared/definitions.h"
#include "cli/shared/options.h"
#include "cli/shared/saving.h"
#include "cli/shared/say.h"
#include "cli/shared/verb.h"
#include "design/making/outcome.h"
#include "design/making/security.h"

#define TEXT_MOST 1000

/* Calls `take` for each value and way that needs a level, in the order of the definition. */
static void each_right(const struct ys_design *design,
                       void (*take)(void *context, const struct ys_service *service,
                                    const struct ys_characteristic *characteristic, int way, uint8_t level),
                       void *context)
{
    for (size_t i = 0; i < design->service_count; i++) {
        for (size_t j = 0; j < design->services[i].characteristic_count; j++) {
            const struct ys_characteristic *characteristic = &design->services[i].characteristics[j];
            for (int way = 0; way < YS_WAYS; way++) {
                if (characteristic->ways[way].right > YS_RIGHT_NONE && !design->services[i].implied)
                    take(context, &design->services[i], characteristic, way,
                         ys_level_for(characteristic->ways[way].right));
            }
        }
    }
}

/* text */

struct listing {
    uint8_t level;
    char text[TEXT_MOST];
    const struct ys_characteristic *last;
};

static void list_right(void *context, const struct ys_service *service, const struct ys_characteristic *characteristic,
                       int way, uint8_t level)
{
    struct listing *listing = context;
    size_t used = strlen(listing->text);
    (void)service;
    if (level != listing->level)
        return;
    if (listing->last == characteristic)
        (void)snprintf(listing->text + used, sizeof listing->text - used, " and %s", ys_ways[way].name);
    else
        (void)snprintf(listing->text + used, sizeof listing->text - used, "%s%s: %s", used > 0 ? "; " : "",
                       characteristic->name, ys_ways[way].name);
    listing->last = characteristic;
}

static const char *central_words(const struct ys_pairing_outcome *outcome)
{
    return outcome->out_of_band ? "data out of band" : ys_capability_words(outcome->capability);
}

static void print_outcome(const struct ys_pairing_outcome *outcome, const char *central)
{
    (void)printf("  %-21s  %-10s  %-36s  ", central, outcome->secure ? "SC" : "legacy",
                 ys_method_words(outcome->method));
    if (outcome->refused != 0)
        (void)printf("refused\n");
    else
        (void)printf("%u  %s\n", outcome->level, ys_level_words(outcome->level));
}

static void print_outcomes(const struct ys_pairing_outcome *outcomes, size_t count)
{
    (void)printf("  %-21s  %-10s  %-36s  %s\n", "a central with", "pairs by", "method", "level");
    for (size_t i = 0; i < count; i++)
        print_outcome(&outcomes[i], i % 2 == 0 ? central_words(&outcomes[i]) : "");
    (void)printf("\nSC: LE Secure Connections; legacy: legacy pairing, of older centrals.\n");
}

static bool occurs(const struct ys_pairing_outcome *outcomes, size_t count, uint8_t method, bool secure)
{
    for (size_t i = 0; i < count; i++) {
        if (outcomes[i].method == method && outcomes[i].secure == secure && outcomes[i].refused == 0)
            return true;
    }
    return false;
}

/* A paragraph that begins with a word in a column of its own, wrapped after it. */
static void print_wrapped(const char *name, const char *text)
{
    enum { LEFT = 16, WIDTH = 96 };
    int column = printf("    %-11s", name);
    while (*text != '\0') {
        size_t length = strcspn(text, " ");
        if (column >= LEFT && column + (int)length >= WIDTH) {
            (void)printf("\n%*s", LEFT - 1, "");
            column = LEFT - 1;
        }
        column += printf(" %.*s", (int)length, text);
        text += length + strspn(text + length, " ");
    }
    (void)putchar('\n');
}

static void print_method(const struct ys_pairing_outcome *outcomes, size_t count, uint8_t method)
{
    bool secure = occurs(outcomes, count, method, true);
    bool legacy = occurs(outcomes, count, method, false);
    if (!secure && !legacy)
        return;
    (void)printf("\n  %s\n", ys_method_words(method));
    print_wrapped("central", ys_method_at_central(method));
    print_wrapped("device", ys_method_at_device(method));
    if (secure)
        print_wrapped("SC", ys_method_protects(method, true));
    if (legacy)
        print_wrapped("legacy", ys_method_protects(method, false));
}

static void print_opened(const struct ys_design *design, const struct ys_pairing_outcome *outcomes, size_t count)
{
    (void)printf("\nAdditional rights of each security level:\n\n");
    for (unsigned level = YS_LEVEL_OPEN; level <= YS_LEVEL_SECURE_CONNECTIONS; level++) {
        char name[40];
        struct listing listing = {.level = (uint8_t)level};
        each_right(design, list_right, &listing);
        (void)snprintf(name, sizeof name, "%u%s", level,
                       ys_level_is_reachable(outcomes, count, (uint8_t)level) ? "" : " (nobody)");
        print_wrapped(name, listing.text[0] != '\0' ? listing.text : "nothing more");
    }
}

static void print_device(const struct ys_design *design, const struct ys_security *security)
{
    bool none = security->capability == YS_CAPABILITY_NONE;
    char size[40] = "16 bytes";
    if (security->key_size_min < 16)
        (void)snprintf(size, sizeof size, "%u to 16 bytes", security->key_size_min);
    (void)printf("%s has %s%s. It %s protection against a man in the middle, takes keys of\n%s, and remembers %u "
                 "peer%s.\n",
                 design->name.text, none ? "neither display nor keyboard" : "a ",
                 none ? "" : ys_capability_words(security->capability),
                 security->authenticates ? "asks for" : "does not ask for", size, security->bonds,
                 security->bonds == 1 ? "" : "s");
    if (security->passkey != YS_PASSKEY_RANDOM)
        (void)printf("Its passkey is always %06u: an eavesdropper, or 20 attempts, can find it.\n",
                     (unsigned)security->passkey);
    (void)putchar('\n');
}

static void print_text(const struct ys_design *design, const struct ys_pairing_outcome *outcomes, size_t count)
{
    struct ys_security security;
    ys_security_of(design, &security);
    print_device(design, &security);
    print_outcomes(outcomes, count);
    (void)printf("\nWhat people do, and what each method protects against:\n");
    for (unsigned method = 0; method < YS_METHODS; method++)
        print_method(outcomes, count, (uint8_t)method);
    print_opened(design, outcomes, count);
}

/* JSON */

static void json_right(void *context, const struct ys_service *service, const struct ys_characteristic *characteristic,
                       int way, uint8_t level)
{
    (void)json_array_append_new(context, json_pack("{s:s, s:s, s:s, s:i}", "service", service->name, "characteristic",
                                                   characteristic->name, "way", ys_ways[way].name, "level", level));
}

static json_t *json_outcome(const struct ys_pairing_outcome *outcome)
{
    bool pairs = outcome->refused == 0;
    return json_pack("{s:s, s:b, s:b, s:b, s:s, s:i, s:s?, s:b, s:b, s:s, s:s, s:s}", "central_capability",
                     ys_capability_words(outcome->capability), "out_of_band", outcome->out_of_band,
                     "secure_connections", outcome->secure, "pairs", pairs, "method", ys_method_words(outcome->method),
                     "level", pairs ? outcome->level : YS_LEVEL_OPEN, "reason",
                     pairs ? NULL : ys_smp_reason_text(outcome->refused), "stops_listeners",
                     ys_method_stops_listeners(outcome->method, outcome->secure), "stops_man_in_the_middle",
                     ys_method_stops_a_man_in_the_middle(outcome->method), "protects",
                     ys_method_protects(outcome->method, outcome->secure), "people_at_central",
                     ys_method_at_central(outcome->method), "people_at_device", ys_method_at_device(outcome->method));
}

/* The caller's. */
static json_t *result_json(const struct ys_design *design, const struct ys_pairing_outcome *outcomes, size_t count)
{
    struct ys_security security;
    json_t *list = json_array();
    json_t *rights = json_array();
    ys_security_of(design, &security);
    for (size_t i = 0; i < count; i++)
        (void)json_array_append_new(list, json_outcome(&outcomes[i]));
    each_right(design, json_right, rights);
    return json_pack("{s:s, s:s, s:b, s:i, s:i, s:b, s:o, s:o}", "device", design->name.text, "capability",
                     ys_capability_words(security.capability), "asks_for_authentication", security.authenticates,
                     "key_size_min_bytes", security.key_size_min, "bonds", security.bonds, "passkey_is_fixed",
                     security.passkey != YS_PASSKEY_RANDOM, "outcomes", list, "rights", rights);
}

static error_t parse(int key, char *argument, struct argp_state *state)
{
    return parse_common(key, argument, state, state->input);
}

static bool write_page(const struct common *common, const struct ys_design *design,
                       const struct ys_pairing_outcome *outcomes, size_t count)
{
    char summary[200];
    size_t pairs = 0;
    for (size_t i = 0; i < count; i++)
        pairs += outcomes[i].refused == 0;
    (void)snprintf(summary, sizeof summary, "%zu of %zu kinds of centrals can pair with it.", pairs, count);
    json_t *result = result_json(design, outcomes, count);
    const struct page page = {.verb = "pairing", .title = design->name.text, .summary = summary, .result = result};
    bool good = page_write(common, &page);
    json_decref(result);
    return good;
}

static void print_json(const struct ys_design *design, const struct ys_pairing_outcome *outcomes, size_t count)
{
    json_t *root = result_json(design, outcomes, count);
    (void)json_dumpf(root, stdout, JSON_INDENT(2));
    (void)putchar('\n');
    json_decref(root);
}

int verb_pairing(int argc, char **argv)
{
    static const struct argp_option options[] = {
        PAGE_OPTION,
        REPLACE_OPTION,
        {"json", 'j', NULL, 0,
         "Print JSON: a result for each kind of central, and the rights with their security levels", 0},
        {0}};
    static const struct argp argp = {
        .options = options,
        .parser = parse,
        .args_doc = "DEFINITION",
        .doc = "Shows the result of pairing with each kind of central: the pairing method, what it protects against, "
               "what people see and do at both ends, and which rights it grants. It assumes that the central does not "
               "ask for more security than the device does. The manual's chapter on security explains what each method "
               "protects against.\vExit status: 0, or 2 if the definition or an option is wrong.",
    };
    struct common common = {.page = NULL};
    struct ys_pairing_outcome outcomes[YS_OUTCOMES_MOST];
    if (!parse_options(&argp, argc, argv, &common))
        return EXIT_BAD_INPUT;
    if (!saving_is_free(common.page, common.replaces))
        return EXIT_BAD_INPUT;
    struct ys_design *design;
    struct ys_layout *layout = open_only(argv[0], &common.files, &design);
    int status = layout != NULL ? EXIT_AS_EXPECTED : EXIT_BAD_INPUT;
    if (layout != NULL && !design->security.given) {
        (void)complain(argv[0], "%s does not pair: add security to device", common.files.paths[0]);
        status = EXIT_BAD_INPUT;
    } else if (layout != NULL) {
        size_t count = ys_outcomes_of(design, outcomes);
        if (common.json)
            print_json(design, outcomes, count);
        else
            print_text(design, outcomes, count);
        if (common.page != NULL && !write_page(&common, design, outcomes, count))
            status = EXIT_BAD_INPUT;
    }
    ys_layout_free(layout);
    ys_design_free(design);
    return status;
}
