/* What centrals are like. */
#include "world/traits.h"

#include <string.h>

#include <yarnswift/sets.h>

#include "design/making/payload.h"

const struct ys_kind_of_central ys_kinds_of_central[] = {
    {"polite",
     "reads what it needs, waits, and checks the hash of a cached table",
     {.interval_us = 30000,
      .patience_us = 10000000,
      .mtu = 247,
      .supervision_timeout_ms = 4000,
      .asks_mtu = true,
      .extended = true,
      .subscribes_again = true,
      .knows = true,
      .remembering = YS_ASKS,
      .temper = YS_STAYS,
      .capability = YS_CAPABILITY_KEYBOARD_DISPLAY}},
    {"forgetful",
     "remembers nothing: discovers each time, and does not subscribe again",
     {.interval_us = 30000,
      .patience_us = 10000000,
      .mtu = 247,
      .supervision_timeout_ms = 4000,
      .asks_mtu = true,
      .extended = true,
      .knows = true,
      .remembering = YS_FORGETS,
      .temper = YS_STAYS,
      .capability = YS_CAPABILITY_KEYBOARD_DISPLAY}},
    {"stubborn",
     "uses the cached table without a check, and repeats refused requests",
     {.interval_us = 45000,
      .patience_us = 30000000,
      .mtu = 185,
      .supervision_timeout_ms = 6000,
      .asks_mtu = true,
      .extended = true,
      .subscribes_again = true,
      .knows = true,
      .remembering = YS_TRUSTS,
      .temper = YS_INSISTS,
      .capability = YS_CAPABILITY_KEYBOARD_DISPLAY}},
    {"old",
     "never asks for a larger MTU, hears only legacy advertising on 1M, and pairs only the older way",
     {.interval_us = 50000,
      .patience_us = 20000000,
      .mtu = 23,
      .supervision_timeout_ms = 5000,
      .knows = true,
      .remembering = YS_FORGETS,
      .temper = YS_STAYS,
      .capability = YS_CAPABILITY_NONE,
      .legacy = true}},
    {"eavesdropping",
     "knows no definition, and stays connected after a failed pairing",
     {.interval_us = 15000,
      .patience_us = 30000000,
      .mtu = 247,
      .supervision_timeout_ms = 4000,
      .asks_mtu = true,
      .extended = true,
      .subscribes_again = true,
      .remembering = YS_FORGETS,
      .temper = YS_STAYS,
      .capability = YS_CAPABILITY_NONE}},
    {"impatient",
     "waits for nothing longer than a second, and leaves when pairing fails",
     {.interval_us = 7500,
      .patience_us = 1000000,
      .mtu = 247,
      .supervision_timeout_ms = 500,
      .asks_mtu = true,
      .extended = true,
      .subscribes_again = true,
      .knows = true,
      .remembering = YS_ASKS,
      .temper = YS_LEAVES,
      .capability = YS_CAPABILITY_DISPLAY_YES_NO}},
    {"drowsy",
     "talks seldom, and lets the device sleep in between",
     {.interval_us = 400000,
      .patience_us = 60000000,
      .mtu = 100,
      .latency = 4,
      .supervision_timeout_ms = 20000,
      .asks_mtu = true,
      .extended = true,
      .subscribes_again = true,
      .knows = true,
      .remembering = YS_ASKS,
      .temper = YS_STAYS,
      .capability = YS_CAPABILITY_DISPLAY}},
};

const size_t ys_kinds_of_central_count = sizeof ys_kinds_of_central / sizeof ys_kinds_of_central[0];

struct ys_traits ys_traits_for(const struct ys_design *design)
{
    struct ys_traits traits = ys_kinds_of_central[0].traits;
    traits.extended = ys_design_has_sets(design);
    traits.remembering = YS_FORGETS; /* it meets it once */
    traits.coded = design->set_count > 0 && design->sets[0].primary_phy == YS_SAID_CODED;
    return traits;
}
