/* What one thread leaves for another: messages in their order, in a box of a fixed size. From any thread. */
#ifndef MAILBOX_H
#define MAILBOX_H

#include <pthread.h>
#include <stdbool.h>
#include <stdint.h>

#define MAILBOX_SIZE 16

enum topic { LEVEL, PUMP, STOP };

struct message {
    enum topic topic;
    uint16_t value;
};

struct mailbox {
    pthread_mutex_t mutex;
    struct message messages[MAILBOX_SIZE];
    unsigned first;
    unsigned count;
};

void mailbox_init(struct mailbox *box);

/* False if it is full. */
bool mailbox_put(struct mailbox *box, struct message message);

/* Takes the oldest; false if it is empty. Never waits. */
bool mailbox_take(struct mailbox *box, struct message *message);

#endif
