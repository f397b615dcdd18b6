/* Messages between threads. */
#include "mailbox.h"

void mailbox_init(struct mailbox *box)
{
    *box = (struct mailbox){.count = 0};
    (void)pthread_mutex_init(&box->mutex, NULL);
}

bool mailbox_put(struct mailbox *box, struct message message)
{
    (void)pthread_mutex_lock(&box->mutex);
    bool fits = box->count < MAILBOX_SIZE;
    if (fits)
        box->messages[(box->first + box->count++) % MAILBOX_SIZE] = message;
    (void)pthread_mutex_unlock(&box->mutex);
    return fits;
}

bool mailbox_take(struct mailbox *box, struct message *message)
{
    (void)pthread_mutex_lock(&box->mutex);
    bool any = box->count > 0;
    if (any) {
        *message = box->messages[box->first];
        box->first = (box->first + 1) % MAILBOX_SIZE;
        box->count--;
    }
    (void)pthread_mutex_unlock(&box->mutex);
    return any;
}
