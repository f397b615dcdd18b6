/* Words of options. */
#include "cli/shared/words.h"

#include <string.h>

int word_among(const char *word, const char *const words[])
{
    for (int i = 0; words[i] != NULL; i++) {
        if (strcmp(word, words[i]) == 0)
            return i;
    }
    return -1;
}
