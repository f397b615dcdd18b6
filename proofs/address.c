/* Addresses. */
#include "wire/address.c"
#include "bytes.h"
