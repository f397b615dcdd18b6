/* The states of a host.
 *
 *   stopped --ys_host_start--> starting --all steps done--> ready
 *                                 |                           |
 *                                 +---- a step fails ---------+---- no answer, hardware error --> stopped */
#ifndef HOST_CORE_STATE_H
#define HOST_CORE_STATE_H

enum host_state { STATE_STOPPED, STATE_STARTING, STATE_READY };

#endif
