/* The server's requests for what there is (Core 5.4 Vol 3 Part F 3.4.3, 3.4.4.1, 3.4.4.9). */
#ifndef HOST_GATT_SERVER_FIND_H
#define HOST_GATT_SERVER_FIND_H

#include "host/gatt/server/answer.h"

answer_fn ys_server_find_information;
answer_fn ys_server_find_by_type_value;
answer_fn ys_server_read_by_type;

#endif
