/* The parameters of a stream, as options have them: each by its name, for one run and for sweeps. */
#ifndef CLI_SHARED_PARAMETERS_H
#define CLI_SHARED_PARAMETERS_H

#include <jansson.h>

#include "design/making/layout.h"
#include "experiment/throughput_plan.h"
#include "experiment/throughput_report.h"

struct parameter {
    const char *name;     /* of the option */
    const char *key;      /* in JSON, with its unit */
    const char *argument; /* NULL: it is a flag, whose values are yes and no */
    const char *help;
    const char *takes; /* in words, for whoever gives something else */
    bool numeric;      /* its values are numbers, of which there can be ranges */
    bool (*read)(const char *text, struct ys_throughput_plan *plan);
    double (*value)(const struct ys_throughput_plan *plan);
    const char *(*word)(const struct ys_throughput_plan *plan); /* of one that is no number; otherwise NULL */
};

extern const struct parameter parameters[];
extern const size_t parameter_count;

/* NULL if there is none of that name. */
const struct parameter *parameter_named(const char *name);

/* The key of a parameter's option; and the parameter of a key, or parameter_count. */
#define FIRST_PARAMETER 0x600
int parameter_option(size_t index);
size_t parameter_of_option(int key);

/* Says that a text is no value of a parameter. */
bool parameter_complain(const char *who, const struct parameter *parameter, const char *text);

/* A value of it in words: "2M", "30 ms". */
void parameter_say(const struct parameter *parameter, const struct ys_throughput_plan *plan, char *text, size_t size);

/* Those that most of a picture depends on, in words, without those that it varies. */
void parameters_say_fixed(const struct ys_throughput_plan *plan, const struct parameter *const *varied, size_t count,
                          char *text, size_t size);

/* The default stream: 30 ms, 1M, packets of 27 bytes, or the values of the definition. */
struct ys_throughput_plan parameters_begin(const struct ys_design *design);

/* The characteristic that streams, by its name, or if that is NULL the one that can the most; and how: `carrier` is a
 * word of ys_carrier_names, or NULL. False after a line. */
bool parameters_source(const char *who, const struct ys_layout *layout, const char *name, const char *carrier,
                       struct ys_throughput_plan *plan, const struct ys_characteristic **characteristic);

/* A result, as JSON. The parameters are an object in it. */
json_t *report_json(const struct ys_throughput_plan *plan, struct ys_throughput_report *report);

/* "1M", "coded-s2". */
extern const char *const phy_words[];

#endif
