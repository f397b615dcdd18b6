/* What a simulation was, in a file. */
#include "cli/shared/recorder.h"

#include "cli/shared/saving.h"
#include "cli/shared/say.h"

bool recorder_parse(struct recorder *recorder, int key, char *argument)
{
    if (key != RECORDER_CAPTURE)
        return false;
    recorder->path = argument;
    return true;
}

bool recorder_begin(struct recorder *recorder, bool replaces)
{
    char error[400];
    if (recorder->path == NULL)
        return true;
    if (!saving_is_free(recorder->path, replaces))
        return false;
    recorder->writer = ys_capture_create(recorder->path, replaces, error, sizeof error);
    if (recorder->writer == NULL)
        return complain(recorder->path, "%s", error);
    recorder->recording.sink = (struct ys_record_sink){.take = ys_capture_sink, .context = recorder->writer};
    return true;
}

struct ys_recording *recorder_recording(struct recorder *recorder)
{
    return recorder->writer != NULL ? &recorder->recording : NULL;
}

bool recorder_end(struct recorder *recorder)
{
    char error[9000];
    if (recorder->writer == NULL)
        return true;
    const struct ys_recording *recording = &recorder->recording;
    bool good = ys_capture_close(recorder->writer, recording->from_ns, recording->to_ns, error, sizeof error);
    recorder->writer = NULL;
    return good || complain("yarnswift", "%s", error);
}
