/* What a verb of the command is, and how it ends. */
#ifndef CLI_SHARED_VERB_H
#define CLI_SHARED_VERB_H

/* How the command ends. */
enum exit_status { EXIT_AS_EXPECTED = 0, EXIT_UNEXPECTED = 1, EXIT_BAD_INPUT = 2 };

/* A verb: argv[0] is "yarnswift VERB". Returns an exit status. */
typedef int verb_fn(int argc, char **argv);

struct verb {
    const char *name;
    const char *summary;
    verb_fn *run;
};

verb_fn verb_check;
verb_fn verb_table;
verb_fn verb_pairing;
verb_fn verb_generate;
verb_fn verb_catalogue;
verb_fn verb_demo;
verb_fn verb_new;
verb_fn verb_interval;
verb_fn verb_rehearse;
verb_fn verb_meet;
verb_fn verb_explore;
verb_fn verb_throughput;
verb_fn verb_charge;
verb_fn verb_sweep;
verb_fn verb_compare;
verb_fn verb_changes;
verb_fn verb_footprint;
verb_fn verb_trace;
verb_fn verb_audit;
verb_fn verb_air;

#endif
