/* A device is watched while it advertises, and looked for by scanners of several kinds. */
#ifndef EXPERIMENT_INTERVAL_H
#define EXPERIMENT_INTERVAL_H

#include "design/model/model.h"
#include "experiment/live.h"
#include "measure/advertising.h"
#include "measure/charge.h"
#include "measure/discovery.h"
#include "measure/scanner.h"
#include "world/world.h"

/* Of one search by all scanners. */
enum ys_search_state {
    YS_SEARCH_WANTED,
    YS_SEARCH_KNOWN,     /* its times are filled in */
    YS_SEARCH_ELSEWHERE, /* it does not count here */
};

struct ys_interval_plan {
    const struct ys_design *design; /* whose first way to advertise is watched */
    uint32_t seconds;               /* of the watch, 1 to 86,400 */
    uint32_t runs;                  /* of each scanner, 0 to 1,000,000 */
    uint64_t seed;
    bool any_phase;    /* a search begins at any time of its scanner's turns, not with its window on 37 */
    double loss;       /* the share of packets that scanners get wrong, 0 to 0.9; */
    double bit_errors; /* and of bits, 0 to 0.01 */
    uint32_t crowd;    /* so many others advertise beside it, 31 bytes and equally strong; */
    uint32_t crowd_interval_us;
    const struct ys_scanner *scanners;
    size_t scanner_count;
    unsigned threads;                                            /* 1 or more; what comes out does not depend on it */
    void (*progress)(void *context, uint32_t done, uint32_t of); /* or NULL; from one thread only */
    void *context;
    struct ys_recording *recording; /* of the watch; NULL: none */
    /* Whether a search is to be run, and its results by scanner in ms, negative if the device was not found. Both may
     * be NULL, and are called by several threads. */
    enum ys_search_state (*look_up)(void *keeper, uint32_t run, double *found_ms);
    void (*take)(void *keeper, uint32_t run, const double *found_ms);
    void *keeper;
    const struct ys_live *live; /* the controllers are real ones; NULL: they are simulated */
};

/* How long a search lasts at most. */
#define YS_SEARCH_MS 60000

/* Round times in ms, for which the found share and the calculated share are reported. */
#define YS_ROUND_TIMES 7
extern const double ys_round_times_ms[YS_ROUND_TIMES];

/* What came of one scanner's searches. */
struct ys_search {
    struct ys_scanner scanner;
    struct ys_samples found_ms; /* of those that found it */
    uint32_t runs;
    uint32_t never; /* how many did not, within YS_SEARCH_MS */
    struct ys_discovery calculated_of;
    struct ys_discovery_expectation calculated;
    double found_within[YS_ROUND_TIMES]; /* the share of searches; and by calculation: */
    double calculated_within[YS_ROUND_TIMES];
    double error_within[YS_ROUND_TIMES]; /* the standard error of so many searches */
    bool agrees;                         /* nowhere are the two further apart than chance has it */
    bool crowded; /* each collision is reckoned by itself: two with like intervals collide several times in a row */
};

struct ys_interval_report {
    struct ys_advertising_meter air;
    bool recorded;   /* it was measured in a capture: how long it takes to find it is not known */
    bool live;       /* with a real controller: of `air` only events, intervals and silence are known, as they were
                        heard; and: */
    uint32_t missed; /* events, by the times between those that were heard */
    struct ys_samples strengths_dbm;
    char trouble[400]; /* "", or why there is nothing more of it */
    bool broken;       /* a controller is gone, or has never answered */
    uint64_t from_ns;  /* when the watch began */
    double seconds;
    uint32_t connections; /* that a central made and ended meanwhile */
    struct ys_activity activity;
    struct ys_search *searches;
    size_t search_count;
};

/* The time within which this share of all runs has found it, in milliseconds; negative: so many did not. */
double ys_search_quantile_ms(struct ys_search *search, double share);

/* The current of a device that advertises like this, if answers to it use this PHY; part of a run. */
struct ys_activity ys_interval_activity(const struct ys_advertising_meter *air, const struct ys_advertisement *set,
                                        double seconds);

/* Searches that were not asked for in another number are so many in real time. */
#define YS_SEARCHES_LIVE 10

/* The same with real controllers: a scanner that always listens hears the device for a while; then each scanner
 * searches for it, one search after the other. Times are those of the reports, with a precision of a millisecond. */
bool ys_interval_run_live(const struct ys_interval_plan *plan, struct ys_interval_report *report);

/* Compares the results with the calculation; fills in all but the scanner and the searches. Private. */
void ys_interval_compare(const struct ys_interval_plan *plan, const struct ys_interval_report *report,
                         struct ys_search *search);

/* Watches and searches. While it is watched an active scanner asks it, and where that is possible a central connects to
 * it twice. False if there is no memory. */
bool ys_interval_run(const struct ys_interval_plan *plan, struct ys_interval_report *report);
void ys_interval_report_free(struct ys_interval_report *report);

#endif
