/* Words of options. */
#ifndef CLI_SHARED_WORDS_H
#define CLI_SHARED_WORDS_H

/* The place of a word among words that end with NULL; -1: it is none of them. */
int word_among(const char *word, const char *const words[]);

#endif
