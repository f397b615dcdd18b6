/* A response that is being composed. */
#include "host/gatt/server/answer.h"

void ys_answer_begin(struct answer *answer)
{
    answer->writer.length = 0;
    ys_put_u8(&answer->writer, ys_att_response_to(answer->request->opcode));
}

size_t ys_answer_room(const struct answer *answer)
{
    return answer->connection->mtu - ys_writer_length(&answer->writer);
}
