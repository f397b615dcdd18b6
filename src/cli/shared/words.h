/* Words of options. */
#ifndef CLI_SHARED_WORDS_H
#define CLI_SHARED_WORDS_H

/* The index of a word in a list that ends with NULL; -1: it is not in the list. */
int word_among(const char *word, const char *const words[]);

#endif
