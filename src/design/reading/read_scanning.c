/* The keys of `scanning`. */
#include "design/reading/read_scanning.h"

#include <stddef.h>

#include "design/model/model.h"

#define COUNT(array)     (sizeof(array) / sizeof((array)[0]))
#define SCANNING(member) offsetof(struct ys_design, scanning.member)

static const struct ys_kind kind_16_bits = {.form = YS_NUMBER, .greatest = 0xffff};
static const char *const phys[] = {"1M", "coded", "1M and coded", NULL};
static const struct ys_kind kind_phy = {.form = YS_WORD, .words = phys};

static const struct ys_key scanning_keys[] = {
    {"service", ys_key_written, &ys_kind_text, "An advertised service: an adopted name or a UUID", false,
     SCANNING(service_text)},
    {"name", ys_key_written, &ys_kind_text, "Beginning of the name", false, SCANNING(name)},
    {"company", ys_key_number, &kind_16_bits, "The company identifier of data that it advertises", false,
     SCANNING(company)},
    {"at least", ys_key_written, &ys_kind_text, "Minimum signal strength, such as -80 dBm", false,
     SCANNING(least_text)},
    {"interval", ys_key_time, &ys_kind_time, "Scan interval, 2.5 ms to 10.24 s (default 100 ms)", false,
     SCANNING(interval_us)},
    {"window", ys_key_time, &ys_kind_time, "Scan window (default: half of the interval)", false, SCANNING(window_us)},
    {"active", ys_key_yes, &ys_kind_yes, "Send scan requests", false, SCANNING(active)},
    {"phy", ys_key_word, &kind_phy, "Scanned PHYs (default 1M)", false, SCANNING(phy)},
};
static const struct ys_mapping scanning_mapping = {"scanning", scanning_keys, COUNT(scanning_keys), NULL};
const struct ys_kind ys_kind_scanning = {.form = YS_MAPPING, .mapping = &scanning_mapping};

void ys_read_scanning(const struct ys_node *node, void *target)
{
    struct ys_design *design = target;
    design->scanning.given = true;
    design->scanning.place = node->place;
    (void)ys_yaml_mapping(node, &scanning_mapping, target);
}
