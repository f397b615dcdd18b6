/* What a simulation was, in a file. */
#include "cli/shared/recorder.h"

#include <unistd.h>

#include "cli/shared/say.h"

bool recorder_parse(struct recorder *recorder, int key, char *argument)
{
    if (key == RECORDER_CAPTURE)
        recorder->path = argument;
    else if (key == RECORDER_REPLACE)
        recorder->replaces = true;
    else
        return false;
    return true;
}

bool recorder_is_free(const struct recorder *recorder)
{
    return recorder->path == NULL || recorder->replaces || access(recorder->path, F_OK) != 0 ||
           complain(recorder->path, "it is there, and is left alone; give --replace to write over it");
}

bool recorder_begin(struct recorder *recorder)
{
    char error[400];
    if (recorder->path == NULL)
        return true;
    if (!recorder_is_free(recorder))
        return false;
    recorder->writer = ys_capture_create(recorder->path, recorder->replaces, error, sizeof error);
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
