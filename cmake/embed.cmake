# Writes the text file INPUT as the C string NAME into OUTPUT.
file(READ ${INPUT} hex HEX)
string(REGEX REPLACE "([0-9a-f][0-9a-f])" "'\\\\x\\1'," bytes "${hex}")
file(WRITE ${OUTPUT} "extern const char ${NAME}[];\nconst char ${NAME}[] = {${bytes}0};\n")
