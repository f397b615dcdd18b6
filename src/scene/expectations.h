/* Of values that come, of log lines, of an end. */
#ifndef SCENE_EXPECTATIONS_H
#define SCENE_EXPECTATIONS_H

#include "scene/stage_parts.h"

void begin_expect(struct act *act);
void poll_expect(struct act *act);
void begin_expect_none(struct act *act);
void poll_expect_none(struct act *act);
void begin_expect_log(struct act *act);
void poll_expect_log(struct act *act);
void begin_expect_no_log(struct act *act);
void poll_expect_no_log(struct act *act);
void begin_expect_disconnection(struct act *act);
void poll_expect_disconnection(struct act *act);

#endif
