/* A filter as a tree. */
#ifndef CAPTURE_SAY_FILTER_TREE_H
#define CAPTURE_SAY_FILTER_TREE_H

#include <stdbool.h>

#define FILTER_WORD_MOST 128

enum node_kind { NODE_AND, NODE_OR, NODE_NOT, NODE_COMPARE, NODE_NAME, NODE_FLAG };

enum relation { EQUAL, UNEQUAL, LESS, AT_MOST, MORE, AT_LEAST };

/* What is compared with a number. */
enum subject {
    SUBJECT_TIME,
    SUBJECT_SINCE,
    SUBJECT_STRENGTH,
    SUBJECT_CHANNEL,
    SUBJECT_LENGTH,
    SUBJECT_NUMBER,
    SUBJECT_HANDLE,
    SUBJECT_CONNECTION,
    SUBJECT_VALUE /* of whatever characteristic, or of the one that is named */
};

/* What is compared with a name. */
enum name_of { NAME_FROM, NAME_TO, NAME_WITH, NAME_SERVICE, NAME_CHARACTERISTIC, NAME_PROTOCOL, NAME_LAYER, NAME_KIND };

enum flag { FLAG_ERROR, FLAG_AGAIN, FLAG_DAMAGED, FLAG_ENCRYPTED, FLAG_DECRYPTED };

struct ys_filter {
    enum node_kind kind;
    struct ys_filter *children[2];
    int what; /* enum subject, enum name_of, enum flag */
    enum relation relation;
    double number;
    char name[FILTER_WORD_MOST]; /* that is compared; of SUBJECT_VALUE: of the characteristic, or "" */
    char unit[32];               /* SUBJECT_VALUE: "" if none was said */
    char text[FILTER_WORD_MOST]; /* SUBJECT_VALUE: what it must say */
    bool is_text;
};

#endif
