#include "support/check.h"
int main(void)
{
    return 0;
}
