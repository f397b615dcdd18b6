/* What a central asks of a server. */
#ifndef WORLD_REQUESTS_H
#define WORLD_REQUESTS_H

#include "world/central.h"

/* A request of the task, which `finish` goes on with once it has succeeded; whatever else ends the task. */
struct ys_client_request *task_request(struct ys_task *task, void (*finish)(struct ys_task *task));

/* Ends the task if its request could not be begun. */
void task_begun(struct ys_task *task, enum ys_result result);

#endif
