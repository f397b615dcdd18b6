/* The server's requests for values (Core 5.4 Vol 3 Part F 3.4.4 to 3.4.6). */
#ifndef HOST_GATT_SERVER_ACCESS_H
#define HOST_GATT_SERVER_ACCESS_H

#include "host/gatt/server/answer.h"

answer_fn ys_server_read;
answer_fn ys_server_read_blob;
answer_fn ys_server_read_multiple;
answer_fn ys_server_write;
answer_fn ys_server_write_command;
answer_fn ys_server_prepare_write;
answer_fn ys_server_execute_write;

#endif
