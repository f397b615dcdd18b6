/* Definitions in tests. */
#include "support/definition.h"

#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "design/open.h"

struct ys_design *read_text(const char *text)
{
    return ys_design_read("yard.device.yaml", text, strlen(text), NULL, NULL);
}

char *all_findings(const struct ys_design *design)
{
    static const char *const words[] = {"error", "warning", "advice"};
    char *text = NULL;
    size_t size = 0;
    FILE *stream = open_memstream(&text, &size);
    for (size_t i = 0; i < design->findings.count; i++) {
        const struct ys_finding *finding = &design->findings.items[i];
        (void)fprintf(stream, "%d:%d %s: %s\n", finding->place.line, finding->place.column, words[finding->severity],
                      finding->text);
    }
    (void)fclose(stream);
    return text;
}

void assert_wrong(const struct wrong *wrong, size_t count)
{
    size_t differ = 0;
    for (size_t i = 0; i < count; i++) {
        struct ys_design *design = read_text(wrong[i].text);
        char *findings = all_findings(design);
        bool as_expected = strcmp(findings, wrong[i].findings) == 0;
        if (!as_expected)
            print_error("of this definition:\n%s\nis said:\n%sand not:\n%s\n", wrong[i].text, findings,
                        wrong[i].findings);
        differ += !as_expected;
        free(findings);
        ys_design_free(design);
    }
    assert_int_equal(differ, 0);
}
