/* Phases out of a measured current: a trace that is made up of known ones, with noise, gives them back. */
#include "support/check.h"

#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "measure/phases.h"
#include "sim/chance.h"
#include "support/run.h"

#define WRENCH YARNSWIFT_ROOT "/examples/torque_wrench/torque_wrench.device.yaml"

struct made {
    double *times_s;
    double *ma;
    size_t count;
};

static double uniform(struct ys_chance *chance)
{
    return ((double)(ys_chance_next(chance) >> 11) + 0.5) / 9007199254740992.0;
}

static double normal(struct ys_chance *chance)
{
    return sqrt(-2 * log(uniform(chance))) * cos(6.283185307179586 * uniform(chance));
}

/* What the hardware draws so long after the beginning of an event; negative: it is over. */
static double drawn_ma(const struct ys_energy *energy, const struct ys_phase_shape *shape, double us)
{
    const struct ys_phase phases[] = {energy->wake, energy->prepare, energy->ramp};
    for (size_t i = 0; i < COUNT(phases); i++) {
        if (us < phases[i].us)
            return phases[i].ma;
        us -= phases[i].us;
    }
    for (unsigned i = 0; i < shape->channels; i++) {
        const struct ys_phase parts[] = {{shape->transmit_us, energy->transmit[0].ma},
                                         {shape->listens ? 134 : 0, energy->turn_ma},
                                         {shape->listens ? 72 : 0, energy->receive_ma},
                                         {i + 1 < shape->channels ? 150 : 0, energy->turn_ma}};
        for (size_t k = 0; k < COUNT(parts); k++) {
            if (us < parts[k].us)
                return parts[k].ma;
            us -= parts[k].us;
        }
    }
    return us < energy->finish.us ? energy->finish.ma : -1;
}

static struct made make(const struct ys_energy *energy, const struct ys_phase_shape *shape, double step_us,
                        double seconds, double noise_ma, uint64_t seed)
{
    struct ys_chance chance = ys_chance_of(seed, 1);
    struct made made = {.count = (size_t)(seconds * 1e6 / step_us)};
    made.times_s = malloc(made.count * sizeof *made.times_s);
    made.ma = malloc(made.count * sizeof *made.ma);
    assert_true(made.times_s != NULL && made.ma != NULL);
    double event_us = 3000 + 1000 * uniform(&chance);
    for (size_t i = 0; i < made.count; i++) {
        double us = (double)i * step_us;
        double ma = us >= event_us ? drawn_ma(energy, shape, us - event_us) : -1;
        if (us >= event_us + 20000)
            event_us += 100000 + 10000 * uniform(&chance);
        made.times_s[i] = us / 1e6;
        made.ma[i] = (ma < 0 ? energy->standby_ua / 1000 : ma) + noise_ma * normal(&chance);
    }
    return made;
}

static void check_near(const char *what, double is, double expected)
{
    if (fabs(is / expected - 1) > 0.02)
        (void)printf("%s: %f, where %f was put in\n", what, is, expected);
    assert_true(fabs(is / expected - 1) <= 0.02);
}

static const struct ys_energy usual = {.standby_ua = 40,
                                       .wake = {420, 1.3},
                                       .prepare = {310, 2.9},
                                       .ramp = {140, 4.1},
                                       .finish = {270, 2.3},
                                       .transmit = {{0, 5.6}},
                                       .turn_ma = 3.4,
                                       .receive_ma = 6.3};

static void a_trace_gives_its_parameters_back(void **state)
{
    const struct {
        struct ys_energy energy;
        struct ys_phase_shape shape;
        double step_us;
        double noise_ma;
    } cases[] = {
        {usual, {3, true, 328}, 10, 0.05},
        {{.standby_ua = 90,
          .wake = {800, 0.8},
          .prepare = {200, 3.2},
          .ramp = {90, 2.2},
          .finish = {500, 1.7},
          .transmit = {{0, 8.1}},
          .turn_ma = 5.2,
          .receive_ma = 0},
         {3, false, 376},
         10,
         0.1},
        {{.standby_ua = 60,
          .wake = {300, 2},
          .prepare = {250, 4},
          .ramp = {120, 7},
          .finish = {350, 3},
          .transmit = {{0, 12}},
          .turn_ma = 0,
          .receive_ma = 0},
         {1, false, 200},
         10,
         0.2},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const struct ys_energy *energy = &cases[i].energy;
        static struct ys_phase_fit fit;
        struct made made = make(energy, &cases[i].shape, cases[i].step_us, 12, cases[i].noise_ma, i + 1);
        ys_phases_fit(made.times_s, made.ma, made.count, &cases[i].shape, &fit);
        assert_null(fit.problem);
        if (fit.used <= 90 || fit.used + 3 <= fit.events)
            (void)printf("case %zu: %zu of %zu events\n", i, fit.used, fit.events);
        assert_true(fit.used > 90 && fit.used + 3 > fit.events);
        check_near("standby", fit.energy.standby_ua, energy->standby_ua);
        const struct ys_phase *in[] = {&energy->wake, &energy->prepare, &energy->ramp, &energy->finish};
        const struct ys_phase *out[] = {&fit.energy.wake, &fit.energy.prepare, &fit.energy.ramp, &fit.energy.finish};
        static const char *const names[] = {"wake", "prepare", "ramp", "finish"};
        for (size_t k = 0; k < COUNT(in); k++) {
            check_near(names[k], out[k]->us, in[k]->us);
            check_near(names[k], out[k]->ma, in[k]->ma);
        }
        check_near("transmit", fit.energy.transmit[0].ma, energy->transmit[0].ma);
        check_near("packet", fit.transmit_us, cases[i].shape.transmit_us);
        if (energy->turn_ma > 0)
            check_near("turn round", fit.energy.turn_ma, energy->turn_ma);
        if (energy->receive_ma > 0)
            check_near("receive", fit.energy.receive_ma, energy->receive_ma);
        assert_true(fabs(fit.left_ma / cases[i].noise_ma - 1) < 0.2);
        assert_true(fit.noise_ma > 0.9 * cases[i].noise_ma && fit.noise_ma < 1.1 * cases[i].noise_ma);
        check_near("charge", fit.fitted_uc, fit.event_uc);
        free(made.times_s);
        free(made.ma);
    }
}

static void what_is_no_trace_of_it_is_said(void **state)
{
    static const struct ys_phase_shape shape = {3, true, 328};
    static const struct ys_phase_shape other = {3, true, 128};
    static struct ys_phase_fit fit;
    (void)state;
    struct made made = make(&usual, &shape, 10, 2, 0.05, 1);
    ys_phases_fit(made.times_s, made.ma, made.count, &other, &fit);
    assert_non_null(fit.problem);
    ys_phases_fit(made.times_s, made.ma, 50, &shape, &fit);
    assert_non_null(fit.problem);
    ys_phases_fit(made.times_s, made.ma, 150, &shape, &fit); /* it sleeps all the time */
    assert_non_null(fit.problem);
    for (size_t i = 0; i < made.count; i++)
        made.times_s[i] *= 20;
    ys_phases_fit(made.times_s, made.ma, made.count, &shape, &fit);
    assert_non_null(fit.problem);
    free(made.times_s);
    free(made.ma);
}

/* A trace of the demo's device, as a file. */
static const char *write_trace(const char *name, double noise_ma)
{
    static const struct ys_phase_shape shape = {3, true, 344}; /* with its 27 bytes */
    struct made made = make(&usual, &shape, 10, 6, noise_ma, 7);
    const char *path = scratch_file(name, "");
    FILE *file = fopen(path, "w");
    assert_non_null(file);
    (void)fputs("time_us,current_ma\n", file);
    for (size_t i = 0; i < made.count; i++)
        (void)fprintf(file, "%.0f,%.5f\n", made.times_s[i] * 1e6, made.ma[i]);
    assert_int_equal(fclose(file), 0);
    free(made.times_s);
    free(made.ma);
    return path;
}

/* What the command prints is a section that a definition takes. */
static void the_command_writes_the_section_of_the_definition(void **state)
{
    char line[900];
    char definition[4000];
    (void)state;
    (void)snprintf(line, sizeof line, "charge '" WRENCH "' '%s'", write_trace("current.csv", 0.05));
    struct outcome outcome = run_command(line);
    assert_int_equal(outcome.status, 0);
    const char *section = strstr(outcome.out, "energy:\n");
    assert_non_null(section);
    assert_non_null(strstr(section, "  transmit: 5.6 mA\n"));
    assert_non_null(strstr(section, " at 1.3 mA\n"));
    (void)snprintf(definition, sizeof definition,
                   "device: {name: Torvane T2}\nadvertising: {interval: 100 ms}\nservices: [{use: battery}]\n%s",
                   section);
    (void)snprintf(line, sizeof line, "check '%s'", scratch_file("fitted.device.yaml", definition));
    assert_int_equal(run_command(line).status, 0);
}

static void wrong_traces_are_refused_with_the_line(void **state)
{
    static const struct {
        const char *text;
        const char *says;
    } cases[] = {
        {"", "it is empty"},
        {"time,current\n", "line 1: it must name two columns"},
        {"current_ma,time_s\n0,0\n", "line 1: it must name two columns"},
        {"time_s,current_ma\n", "it has no values"},
        {"time_s,current_ma\n0,1\n1,2,3\n", "line 3: this is no time and current"},
        {"time_s,current_ma\n0,1\n1,nan\n", "line 3: this is no time and current"},
        {"time_s,current_ma\n0,1\n0,2\n", "line 3: its time is not after"},
        {"time_s,current_ma\n0,1\n1,1\n5,1\n6,1\n7,1\n", "line 4: times must have equal steps"},
        {"time_s,current_ma\n0,1\n1,2\n", "it has too few values"},
    };
    char line[900];
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        (void)snprintf(line, sizeof line, "charge '" WRENCH "' '%s'", scratch_file("wrong.csv", cases[i].text));
        struct outcome outcome = run_command(line);
        assert_int_equal(outcome.status, 2);
        if (strstr(outcome.err, cases[i].says) == NULL)
            fail_msg("not \"%s\" in %s", cases[i].says, outcome.err);
    }
    (void)snprintf(line, sizeof line, "charge '" WRENCH "' '%s' --advertising-set locator",
                   write_trace("current.csv", 0.05));
    assert_int_equal(run_command(line).status, 2);
    (void)snprintf(line, sizeof line, "charge '" WRENCH "' '%s' --advertising-set nowhere",
                   write_trace("current.csv", 0.05));
    assert_int_equal(run_command(line).status, 2);
    assert_int_equal(run_command("charge '" WRENCH "' nowhere.csv").status, 2);
    assert_int_equal(run_command("charge '" WRENCH "'").status, 2);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(a_trace_gives_its_parameters_back),
        cmocka_unit_test(what_is_no_trace_of_it_is_said),
        cmocka_unit_test(the_command_writes_the_section_of_the_definition),
        cmocka_unit_test(wrong_traces_are_refused_with_the_line),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
