/* Which control procedure goes on, one of each side at a time; which comes next, and how one ends. */
#ifndef SIM_PROCEDURES_ORDER_H
#define SIM_PROCEDURES_ORDER_H

#include "sim/link_state.h"

void procedures_begin(struct link *link);

void procedures_want(struct link *link, enum procedure procedure);

/* Whether one goes on that has no end yet. */
bool procedures_are_busy(const struct link *link);

/* When one will have waited for its answer for too long; UINT64_MAX: none waits. */
uint64_t procedures_deadline_ns(const struct link *link);

/* Whether it is one of those that hold from an instant on, of which only one goes on at a time. */
bool procedure_has_instant(uint8_t procedure);

/* An update for another place of the events, of which nothing has been sent, gives way to one that a host wants. */
void procedures_forget_move(struct link *link);

/* Begins the next of its own that waits, if it may. */
void procedures_begin_next(struct link *link);

/* This side's is over; the other side's is; it has begun; what it has asked for is refused, with this code. */
void procedures_end_local(struct link *link, enum procedure procedure);
void procedures_end_remote(struct link *link);
void procedures_begin_remote(struct link *link, enum procedure procedure);
void procedures_refuse(struct link *link, uint8_t opcode, uint8_t code);

/* This side's has failed: its host is told. */
void procedures_fail_local(struct link *link, uint8_t status);

#endif
