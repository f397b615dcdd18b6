/* UUIDs that come in. */
#include "wire/uuid.c"
#include "bytes.h"
