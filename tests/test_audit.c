/* The audit: each of its rules with traffic that keeps it and traffic that breaks it, by hand; and what it says when
 * something is missing. */
#include "support/check.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "capture/audit/audit.h"
#include "capture/follow/cipher.h"
#include "support/hex.h"
#include "support/run.h"
#include "support/traffic.h"

#define FROM   "0908070605c2 "
#define OTHER  "0102030405c1 "
#define ADV    "air 37 1 4009 " FROM "020106;"
#define ADV_38 "air 38 1 4009 " FROM "020106;"
#define SCAN   "air 37 1 c30c " OTHER FROM ";"
#define LINK   "link; e;"
#define EXT    "air 37 1 0707 06 18 0110 0a1400;"
#define CHAIN  EXT "gap 470; air 10 1 4712 0c 19 " FROM "0110 0a1400 0609414243; gap 380; air 10 1 "
#define FIRST  "air 37 1 0707 06 18 0110 0a2800; gap 100;"
#define AUX    "air 10 1 470d 09 09 " FROM "0110 020106;"
#define VALID  "0600 0c00 0000 9001 00 0000 ffffffffffffffffffffffff"
#define ENC    "03 0000000000000000 0000 1302f1e0dfcebdac 24abdcba"
#define TEN    "00000000000000000000"
#define TABLE                                                                                                          \
    LINK ">a 08 0100 ffff 0328; <a 09 07 0200 32 0300 192a; >a 04 0400 0400; <a 05 01 0400 0229;" /* 0x32: read,       \
                                                                                                     notify, indicate  \
                                                                                                   */
#define TWO                                                                                                            \
    LINK ">a 08 0100 ffff 0328; <a 09 07 0200 12 0300 192a 0500 12 0600 1a2a; >a 04 0400 0400; <a 05 01 0400 0229; "   \
         ">a 04 0800 0800; <a 05 01 0800 0229;"
#define ASK           ">a 10 0100 ffff 0028; <a 11 06 0100 0500 0018;"
#define OPEN          LINK ">g 14 01 0a00 8000 4000 4000 4000 0500; <g 15 01 0a00 4100 4000 4000 0100 0000;"
#define WISHES        "<g 12 01 0800 1800 1800 0000 9001;"
#define PAIR          LINK ">s 01 04 00 09 10 02 02; <s 02 04 00 09 10 02 02;"
#define HALF_KEY_REST "112233445566778899aabbccddeeff"
#define HALF_KEY      "00" HALF_KEY_REST
#define AGREED        PAIR ">s 0c " POINT "; <s 0c " POINT_2 ";"
#define PAIRED        PAIR "<s 03 " HALF_KEY "; >s 04 " HALF_KEY "; <s 04 " HALF_KEY ";"
#define PAIRED_ONE_WAY                                                                                                 \
    LINK ">s 01 04 00 09 10 02 02; <s 02 04 00 09 10 00 02; <s 03 " HALF_KEY "; >s 04 " HALF_KEY "; <s 04 " HALF_KEY ";"
#define KEY "00112233445566778899aabbccddeeff00112233445566778899aabbccddeeff"
/* two points of the curve, and the confirm value of the second one's owner for HALF_KEY, by another implementation */
#define POINT                                                                                                          \
    "96c298d84539a1f4a033eb2d817d0377f240a463e5e6bcf847422ce1f2d1176b"                                                 \
    "f551bf376840b6cbce5e316b5733ce2b169e0f7c4aebe78e9b7f1afee242e34f"
#define POINT_2                                                                                                        \
    "78996647fc480ba6351bf277e26989c0c31ab5040338528a7e4f038d187bf27c"                                                 \
    "d17378229db7049e2982e93ce6ad7dbadb30749fc69a3d2940d08edb10557707"
#define CONFIRM    "9b5d1064f55adce3bc7e8a55f1be8d41"
#define DEBUG      "e69d350e480103ccdbfdf4ac1191f4efb9a5f9e9a7832c5e2cbe97f2d203b020"
#define RESET      "h> 01030c00; h< 040e0401030c00;"
#define BUFFERS    RESET "h> 01022000; h< 040e0701022000 1b00 01;"
#define JOINED     BUFFERS "h< 043e13 01 00 4000 00 01 " OTHER "1800 0000 9001 05;"
#define OWN        RESET "h> 01052006 " FROM "; h< 040e0401052000;"
#define TOLD       "h< 043e13 01 00 4000 01 01 " OTHER
#define SET        "h> 0106200f a000 a000 00 01 00 000000000000 07 00; h< 040e0401062000;"
#define ENABLE(on) "h> 010a2001" on "; h< 040e04010a2000;"
#define TELL       "h> 02 4000 0800 04000400 1b030057;"
#define DATA       "h> 02 4000 0700 03000400 0a0300;"

struct rule_case {
    enum ys_rule_id rule;
    const char *keeps;
    const char *breaks;
};

static const struct rule_case cases[] = {
    {YS_RULE_LEGACY_ON_PRIMARY, ADV, "air 5 1 4009 " FROM "020106"},
    {YS_RULE_LEGACY_ON_1M, ADV, "air 37 c 4009 " FROM "020106"},
    {YS_RULE_EXTENDED_PHY, EXT, "air 37 2 0707 06 18 0110 0a1400"},
    {YS_RULE_ADVERTISING_FORM, ADV, "air 37 1 4008 " FROM "020106"},
    {YS_RULE_ADDRESS_FORM, ADV, "air 37 1 4009 090807060582 020106"},
    {YS_RULE_ADVERTISING_SPACING, ADV "+ 100;" ADV, ADV "+ 10;" ADV},
    {YS_RULE_ADVERTISING_DELAY, ADV "+ 100;" ADV "+ 103;" ADV, "row 23 100 37 1 4009 " FROM "020106"},
    {YS_RULE_CHANNEL_ORDER, ADV "gap 400;" ADV_38, ADV_38 "gap 400;" ADV "+ 100;" ADV_38 "gap 400;" ADV},
    {YS_RULE_EVENT_SPACING, ADV "gap 400;" ADV_38, ADV "gap 11000;" ADV_38},
    {YS_RULE_REQUEST_TIME, ADV "ifs;" SCAN, ADV "gap 160;" SCAN},
    {YS_RULE_REQUEST_FITS, ADV "ifs;" SCAN, "air 37 1 4209 " FROM "020106; ifs;" SCAN},
    {YS_RULE_REQUEST_DIRECTED, "link type=1", "link type=1 other=1"},
    {YS_RULE_REQUEST_TARGET, ADV "ifs;" SCAN, ADV "ifs; air 37 1 c30c " OTHER "1102030405c1;"},
    {YS_RULE_RESPONSE_TIME, ADV "ifs;" SCAN "ifs; air 37 1 4406 " FROM, ADV "ifs;" SCAN "gap 160; air 37 1 4406 " FROM},
    {YS_RULE_RESPONSE_ASKED, ADV "ifs;" SCAN "ifs; air 37 1 4406 " FROM, ADV "ifs;" SCAN "ifs; air 37 1 4406 " OTHER},
    {YS_RULE_AUXILIARY_LEAST, EXT, "air 37 1 0707 06 18 0110 0a0a00"},
    {YS_RULE_AUXILIARY_POINTER, EXT, "air 37 1 0707 06 18 0110 281400"},
    {YS_RULE_AUXILIARY_PLACE, EXT "gap 470;" AUX, EXT "gap 900;" AUX},
    {YS_RULE_AUXILIARY_PHY, EXT "gap 470;" AUX, EXT "gap 470; air 10 2 470d 09 09 " FROM "0110 020106"},
    {YS_RULE_AUXILIARY_MODE, EXT "gap 470;" AUX, EXT "gap 470; air 10 1 470d 49 09 " FROM "0110 020106"},
    {YS_RULE_AUXILIARY_AGREE, FIRST "air 38 1 0707 06 18 0110 0a2000", FIRST "air 38 1 0707 06 18 0110 0b2000"},
    {YS_RULE_AUXILIARY_AGREE, FIRST "air 38 1 0707 06 18 0110 0a2000", FIRST "air 38 1 0707 06 18 0110 0a2800"},
    {YS_RULE_AUXILIARY_UNITS, EXT, "air 37 1 0707 06 18 0110 8a0300"},
    {YS_RULE_EXTENDED_DATA, EXT "gap 470;" AUX, "air 37 1 070a 06 18 0110 0a1400 020106"},
    {YS_RULE_EXTENDED_MODE, EXT, "air 37 1 0707 c6 18 0110 0a1400"},
    {YS_RULE_STRUCTURES, ADV, "air 37 1 4009 " FROM "050941"},
    {YS_RULE_STRUCTURES, CHAIN "07 09 03 08 0110 4445 020a00", CHAIN "07 05 03 08 0110 44"},
    {YS_RULE_FLAGS_ONCE, ADV, "air 37 1 400c " FROM "020106 020106"},
    {YS_RULE_FLAGS_PLACE, ADV, "air 37 1 4409 " FROM "020106"},
    {YS_RULE_FLAGS_MEANING, ADV, "air 37 1 4009 " FROM "020107"},
    {YS_RULE_NAME_ONCE, "air 37 1 400a " FROM "03094142", "air 37 1 400e " FROM "03094142 03084142"},
    {YS_RULE_UUID_LIST, "air 37 1 400a " FROM "03030f18", "air 37 1 400b " FROM "04030f1800"},
    {YS_RULE_INTERVAL_RANGE, "air 37 1 400c " FROM "05120c001800", "air 37 1 400c " FROM "051218000c00"},
    {YS_RULE_STRUCTURE_SIZE, "air 37 1 4009 " FROM "020a04", "air 37 1 400a " FROM "030a0400"},
    {YS_RULE_ACCESS_ADDRESS, "link", "link aa=0x8e89bed7"},
    {YS_RULE_ACCESS_ADDRESS, "link aa=0x71764129", "link aa=0x50000000"},
    {YS_RULE_ACCESS_ADDRESS_CODED, "link aa=0x50657a49; e 6; >l 08 0008000000000000",
     "link aa=0x50657a44; e 6; >l 08 0008000000000000"},
    {YS_RULE_ACCESS_ADDRESS_CODED, "link aa=0x50652acd; e 6; >l 16 04 04", "link aa=0x506555ad; e 6; >l 16 04 04"},
    {YS_RULE_HOP, "link hop=16", "link hop=4"},
    {YS_RULE_CONNECT_INTERVAL, "link interval=6", "link interval=5"},
    {YS_RULE_CONNECT_LATENCY, "link latency=4", "link latency=500"},
    {YS_RULE_CONNECT_TIMEOUT, "link interval=80 timeout=21", "link interval=80 timeout=20"},
    {YS_RULE_CONNECT_WINDOW, "link window=8", "link window=9"},
    {YS_RULE_CONNECT_WINDOW, "link offset=24", "link offset=25"},
    {YS_RULE_CONNECT_MAP, "link map=0x3", "link map=0x1"},
    {YS_RULE_FIRST_WINDOW, "link; e", "link; ~late 5000; e"},
    {YS_RULE_ESTABLISHED, "link; ~alone; e; e",
     "link; ~alone; e; ~alone; e; ~alone; e; ~alone; e; ~alone; e; ~alone; e; ~alone; e"},
    {YS_RULE_ANCHOR, LINK "e 3", LINK "~late 100; e"},
    {YS_RULE_EVENT_CHANNEL, LINK "e 40", LINK "~channel 3; e"},
    {YS_RULE_EVENT_CHANNEL, "link csa2=1 map=0x1e00000700; e 40", "link csa2=1; e; ~channel 3; e"},
    {YS_RULE_TURNS, LINK, LINK "~twice; e"},
    {YS_RULE_EVENT_CLOSED, LINK "~md; ~longer; e", LINK "~longer; e"},
    {YS_RULE_INTER_FRAME_SPACE, LINK "~ifs 2; e", LINK "~ifs 3; e"},
    {YS_RULE_CRC_FLAG, LINK "~crc; e", LINK "~called-good; e"},
    {YS_RULE_LINK_CHANNEL, LINK, LINK "~channel 38; e"},
    {YS_RULE_LINK_PHY, LINK, LINK "~phy 2; e"},
    {YS_RULE_DATA_FORM, LINK, LINK "~length 9; >r 2 0102"},
    {YS_RULE_SEQUENCE, LINK "e 4", LINK "~nesn; <a 0a0300; e"},
    {YS_RULE_SAME_AGAIN, LINK "~refused; >a 0a0300; >a 0a0300", LINK "~refused; ~more; >a 0a0300"},
    {YS_RULE_ACKNOWLEDGEMENT, LINK "e 2", LINK "~sn; <r 1; e"},
    {YS_RULE_DATA_LENGTH, LINK ">a 0a0300", LINK ">r 2 18000400" TEN TEN "00000000"},
    {YS_RULE_DATA_LENGTH,
     LINK ">l 14 fb00 4808 fb00 4808; <l 15 fb00 4808 fb00 4808; >a 02f700; <a 03f700; >r 2 18000400 520500" TEN TEN
          "00",
     LINK ">l 14 fb00 4808 fb00 4808; <l 15 1b00 4801 1b00 4801; >r 2 18004000" TEN TEN "00000000"},
    {YS_RULE_DATA_TIME, LINK ">a 0a0300", LINK ">r 2 1d000400" TEN TEN "000000000000000000"},
    {YS_RULE_SUPERVISION, "link timeout=20; e 3",
     "link timeout=20; e; ~alone; e; ~alone; e; ~alone; e; ~alone; e; ~alone; e; ~alone; e; ~alone; e; ~alone; e; "
     "~alone; e"},
    {YS_RULE_AFTER_END, LINK ">l 02 13; e", LINK ">l 02 13; >a 0a0300"},
    {YS_RULE_CONTROL_LENGTH, LINK ">l 12", LINK ">l 12 00"},
    {YS_RULE_CONTROL_ROLE, LINK ">l 08 0000000000000000", LINK "<l 08 0000000000000000"},
    {YS_RULE_CONTROL_ANSWER, LINK ">l 12; <l 13", LINK ">l 12; e 1400"},
    {YS_RULE_CONTROL_ANSWER, LINK ">l 77; <l 07 77", LINK ">l 77; e 1400"},
    {YS_RULE_CONTROL_ASKED, LINK ">l 12; <l 13", LINK "<l 13"},
    {YS_RULE_CONTROL_ASKED, LINK ">l 12; <l 07 12", LINK "<l 11 12 1a"},
    {YS_RULE_CONTROL_ONE, LINK "<l 0f " VALID "; >l 00 02 0000 1800 0000 9001 @10; <l 0e ff00000000000000",
     LINK "<l 0f " VALID "; <l 0e ff00000000000000"},
    {YS_RULE_CONTROL_ONE, LINK ">l 12; <l 13; >l 12", LINK ">l 12; >l 14 1b004801 1b004801"},
    {YS_RULE_VERSION_ONCE, LINK ">l 0c 0d ffff 0000; <l 0c 0d ffff 0000",
     LINK ">l 0c 0d ffff 0000; >l 0c 0d ffff 0000"},
    {YS_RULE_UPDATE_RANGE, LINK ">l 00 02 0000 1800 0000 9001 @10", LINK ">l 00 02 0000 0400 0000 9001 @10"},
    {YS_RULE_UPDATE_WINDOW, LINK ">l 00 02 0000 1800 0000 9001 @10", LINK ">l 00 20 0000 1800 0000 9001 @10"},
    {YS_RULE_INSTANT_PASSED, LINK ">l 01 ffffffff1f @10", LINK "e 5; >l 01 ffffffff1f @-3"},
    {YS_RULE_INSTANT_PASSED, LINK ">l 00 02 0000 1800 0000 9001 @10", "link; e 5; >l 00 02 0000 1800 0000 9001 @-3"},
    {YS_RULE_INSTANT_NEAR, LINK ">l 01 ffffffff1f @6", LINK ">l 01 ffffffff1f @5"},
    {YS_RULE_MAP_UPDATE, LINK ">l 01 ffffffff1f @10", LINK ">l 01 ffffffff3f @10"},
    {YS_RULE_CHANNELS_LEAST, LINK "<l 19 03 08", LINK "<l 19 03 01"},
    {YS_RULE_CHANNELS_LEAST, LINK "<l 19 07 25", LINK "<l 19 08 08"},
    {YS_RULE_CONTROL_ROLE, LINK "<l 19 01 02; >l 07 19", LINK ">l 19 01 02"},
    {YS_RULE_PARAMETER_REQUEST, LINK ">l 0f " VALID, LINK ">l 0f 0300 0c00 0000 9001 00 0000 ffffffffffffffffffffffff"},
    {YS_RULE_LENGTH_RANGE, LINK ">l 14 1b00 4801 fb00 9042", LINK ">l 14 1a00 4801 fb00 9042"},
    {YS_RULE_PHY_REQUEST, LINK ">l 16 02 02", LINK ">l 16 00 02"},
    {YS_RULE_PHY_UPDATE, LINK ">l 16 02 03; <l 17 02 07; >l 18 02 02 @10",
     LINK ">l 16 02 03; <l 17 02 01; >l 18 02 02 @10"},
    {YS_RULE_END_REASON, LINK ">l 02 13", LINK ">l 02 00"},
    {YS_RULE_ENCRYPTION_ORDER, LINK "enc", LINK ">l " ENC "; <l 05"},
    {YS_RULE_ENCRYPTION_QUIET, LINK "enc", LINK ">l " ENC "; >a 0a0300"},
    {YS_RULE_MIC, LINK "enc; >a 0a0300", LINK "enc; >a 0a0300; ~mic; >a 0a0300"},
    {YS_RULE_KEY_MATERIAL, LINK "enc", LINK ">l " ENC "; >l " ENC},
    {YS_RULE_KEY_MATERIAL, LINK "enc", LINK ">l " ENC "; link aa=3; e; >l " ENC},
    {YS_RULE_CLEAR_AGAIN, LINK "enc; >a 0a0300", LINK "enc; >a 0a0300; ~clear; >a 0a0300"},
    {YS_RULE_FRAME_BEGIN, LINK ">r 2 05000400 520500; >r 1 0102", LINK ">r 1 0102"},
    {YS_RULE_FRAME_END, LINK ">a 0a0300; <a 0b01", LINK ">r 2 0a000400 0a; >a 0a0300"},
    {YS_RULE_FRAME_LENGTH, LINK ">a 0a0300", LINK ">r 2 03000400 0a0300 ff"},
    {YS_RULE_FRAME_CHANNEL, LINK ">a 0a0300", LINK ">f 0033 00"},
    {YS_RULE_CHANNEL_OPEN, OPEN ">f 0041 0100 01", LINK ">f 0041 0100 01"},
    {YS_RULE_CREDITS, OPEN ">f 0041 0100 01", OPEN ">f 0041 0100 01; >f 0041 0100 01"},
    {YS_RULE_CREDIT_MOST, OPEN "<g 16 02 0400 4100 3075", OPEN "<g 16 02 0400 4100 409c; <g 16 03 0400 4100 409c"},
    {YS_RULE_CREDIT_MOST, OPEN "<g 16 02 0400 4100 0500", OPEN "<g 16 02 0400 4100 ffff"},
    {YS_RULE_SIGNAL_FORM, LINK WISHES, LINK ">g 14 01 0b00 8000"},
    {YS_RULE_SIGNAL_IDENTIFIER, LINK WISHES, LINK "<g 12 00 0800 1800 1800 0000 9001"},
    {YS_RULE_SIGNAL_ANSWER, LINK WISHES ">g 13 01 0200 0000", LINK WISHES ">g 13 02 0200 0000"},
    {YS_RULE_PARAMETER_ROLE, LINK WISHES, LINK ">g 12 01 0800 1800 1800 0000 9001"},
    {YS_RULE_PARAMETER_VALUES, LINK WISHES, LINK "<g 12 01 0800 1800 0c00 0000 9001"},
    {YS_RULE_CHANNEL_REQUEST, OPEN, LINK ">g 14 01 0a00 8000 4000 1600 4000 0500"},
    {YS_RULE_ATT_FORM, LINK ">a 0a0300", LINK ">a 0a03"},
    {YS_RULE_ATT_KNOWN, LINK ">a 0a0300", LINK ">a 2a0300"},
    {YS_RULE_MTU_ONCE, LINK ">a 02f700", LINK ">a 02f700; <a 03f700; >a 02f700"},
    {YS_RULE_MTU_LEAST, LINK ">a 021700", LINK ">a 021600"},
    {YS_RULE_MTU_KEPT, LINK ">a 520500" TEN TEN, LINK ">a 520500" TEN TEN "00"},
    {YS_RULE_ERROR_HANDLE, LINK ">a 08 0100 ffff 0328; <a 01 08 0100 0a",
     LINK ">a 08 0100 ffff 0328; <a 01 08 0200 0a"},
    {YS_RULE_PREPARE_ECHO, LINK ">a 16 0300 0000 0102; <a 17 0300 0000 0102",
     LINK ">a 16 0300 0000 0102; <a 17 0300 0000 0103"},
    {YS_RULE_PREPARE_ECHO, LINK ">a 16 0300 0000 0102; <a 17 0300 0000 0102",
     LINK ">a 16 0300 0000 0102; <a 17 0300 0100 0102"},
    {YS_RULE_REQUEST_ONE, LINK ">a 0a0300; <a 0b01; >a 0a0300", LINK ">a 0a0300; >a 0a0500"},
    {YS_RULE_REQUEST_ANSWERED, LINK ">a 0a0300; <a 0b01", LINK ">a 0a0300; e 1100"},
    {YS_RULE_ANSWER_ASKED, LINK ">a 0a0300; <a 0b01", LINK "<a 0b01"},
    {YS_RULE_ANSWER_FITS, LINK ">a 0a0300; <a 0b01", LINK ">a 0a0300; <a 13"},
    {YS_RULE_ANSWER_FITS, LINK ">a 0a0300; <a 010a030002", LINK ">a 0a0300; <a 0112030002"},
    {YS_RULE_ERROR_HANDLE, LINK ">a 0a0300; <a 010a030002", LINK ">a 0a0300; <a 010a040002"},
    {YS_RULE_ERROR_CODE, LINK ">a 0a0300; <a 010a030080", LINK ">a 0a0300; <a 010a030000"},
    {YS_RULE_ERROR_CODE, LINK ">a 0a0300; <a 010a03009f", LINK ">a 0a0300; <a 010a0300a0"},
    {YS_RULE_ERROR_CODE, LINK ">a 0a0300; <a 010a0300e0", LINK ">a 0a0300; <a 010a0300df"},
    {YS_RULE_ERROR_CODE, LINK ">a 0a0300; <a 010a030013", LINK ">a 0a0300; <a 010a030014"},
    {YS_RULE_HANDLE_ZERO, LINK ">a 0a0300", LINK ">a 0a0000"},
    {YS_RULE_RANGE_ORDER, LINK ASK, LINK ">a 10 0500 0100 0028"},
    {YS_RULE_FOUND_IN_RANGE, LINK ASK, LINK ">a 10 0600 ffff 0028; <a 11 06 0100 0500 0018"},
    {YS_RULE_FOUND_IN_RANGE, LINK ">a 10 0100 ffff 0028; <a 11 06 0100 0500 0018 0600 0900 0118",
     LINK ">a 10 0100 ffff 0028; <a 11 06 0600 0900 0118 0100 0500 0018"},
    {YS_RULE_ENTRY_LENGTH, LINK ASK, LINK ">a 10 0100 ffff 0028; <a 11 06 0100 0500"},
    {YS_RULE_GROUP_END, LINK ASK, LINK ">a 10 0100 ffff 0028; <a 11 06 0500 0100 0018"},
    {YS_RULE_DISCOVERY_ENDS, LINK ASK ">a 10 0600 ffff 0028", LINK ASK ASK ASK ASK ASK ASK ASK ASK ASK},
    {YS_RULE_INDICATION_ONE, LINK "<a 1d030001; >a 1e; <a 1d030001", LINK "<a 1d030001; <a 1d030001"},
    {YS_RULE_INDICATION_CONFIRMED, LINK "<a 1d030001; >a 1e", LINK "<a 1d030001; e 1100"},
    {YS_RULE_CONFIRMATION_ASKED, LINK "<a 1d030001; >a 1e", LINK ">a 1e"},
    {YS_RULE_NOTIFICATION_WANTED, TABLE ">a 1204000100; <a 13; <a 1b030057", TABLE "<a 1b030057"},
    {YS_RULE_NOTIFICATION_SPACING, JOINED TELL "h< 041305 01 4000 0100; + 100;" TELL,
     JOINED TELL "h< 041305 01 4000 0100; + 50;" TELL},
    {YS_RULE_NOTIFICATION_WANTED, TWO ">a 1204000100; <a 13; >a 1208000100; <a 13; <a 1b030057; <a 1b060057",
     TWO ">a 1204000100; <a 13; >a 1208000100; <a 13; >a 1204000000; <a 13; <a 1b060057; <a 1b030057"},
    {YS_RULE_NOTIFICATION_WANTED, TABLE ">a 1204000100; <a 13; <a 1b030057",
     TABLE ">a 1204000100; <a 13; >a 1204000000; <a 13; <a 1b030057"},
    {YS_RULE_INDICATION_WANTED, TABLE ">a 1204000200; <a 13; <a 1d030057", TABLE ">a 1204000100; <a 13; <a 1d030057"},
    {YS_RULE_CONFIGURATION_FORM, TABLE ">a 1204000300", TABLE ">a 1204000400"},
    {YS_RULE_PROPERTIES, TABLE ">a 0a0300; <a 0b57", TABLE ">a 12030057; <a 13"},
    {YS_RULE_VALUE_LENGTH, LINK ">a 160300 f601" TEN, LINK ">a 160300 f701" TEN},
    {YS_RULE_VALUE_FORMAT, LINK "<a 1b030057", LINK "<a 1b03005758"},
    {YS_RULE_VALUE_RANGE, LINK "<a 1b030064", LINK "<a 1b030065"},
    {YS_RULE_PROTECTED_IN_CLEAR, LINK "enc; >a 0a0700; <a 0b01", LINK ">a 0a0700; <a 0b01"},
    {YS_RULE_SECURITY_FORM, PAIR, LINK ">s 01 04"},
    {YS_RULE_SECURITY_ROLE, PAIR, LINK "<s 01 04 00 09 10 02 02"},
    {YS_RULE_SECURITY_VALUES, PAIR, LINK ">s 01 05 00 09 10 02 02"},
    {YS_RULE_SECURITY_VALUES, PAIR, LINK ">s 01 04 00 09 06 02 02"},
    {YS_RULE_SECURITY_VALUES, PAIR, LINK ">s 01 04 00 89 10 02 02"},
    {YS_RULE_PAIRING_ORDER, PAIR, LINK "<s 02 04 00 09 10 02 02"},
    {YS_RULE_PAIRING_ORDER, PAIR, PAIR ">s 04 00112233445566778899aabbccddeeff"},
    {YS_RULE_PAIRING_ORDER, PAIRED ">s 0d " HALF_KEY "; <s 0d " HALF_KEY,
     PAIR "<s 03 " HALF_KEY "; >s 04 " HALF_KEY "; >s 0d " HALF_KEY},
    {YS_RULE_PAIRING_ORDER, PAIR, LINK ">s 0d " HALF_KEY},
    {YS_RULE_PAIRING_ORDER, PAIR ">s 0c " POINT "; <s 0c " POINT_2, PAIR "<s 03 " HALF_KEY "; >s 0c " KEY DEBUG},
    {YS_RULE_PAIRING_ORDER, PAIR ">s 05 05; >s 01 04 00 09 10 02 02", PAIR ">s 05 05; <s 02 04 00 09 10 02 02"},
    {YS_RULE_PAIRING_TIME, PAIR, LINK ">s 01 04 00 09 10 02 02; e 1100; <s 02 04 00 09 10 02 02"},
    {YS_RULE_KEYS_IN_CLEAR, PAIRED "enc; <s 08 " HALF_KEY, PAIRED "<s 08 " HALF_KEY},
    {YS_RULE_KEYS_PROMISED, PAIRED_ONE_WAY "enc; <s 08 " HALF_KEY, PAIRED_ONE_WAY "enc; >s 08 " HALF_KEY},
    {YS_RULE_KEYS_PROMISED, PAIRED "enc; <s 08 " HALF_KEY, PAIRED "enc; <s 06 " HALF_KEY},
    {YS_RULE_KEY_REFLECTED, PAIR ">s 0c " POINT "; <s 0c " POINT_2, PAIR ">s 0c " POINT "; <s 0c " POINT},
    {YS_RULE_KEY_ON_CURVE, PAIR ">s 0c " POINT, PAIR ">s 0c " KEY DEBUG},
    {YS_RULE_KEY_ON_CURVE, PAIR ">s 0c " POINT,
     PAIR ">s 0c "
          "96c298d84539a1f4a033eb2d817d0377f240a463e5e6bcf847422ce1f2d1176bd17378229db7049e2982e93ce6ad7dbadb30749fc69a"
          "3d2940d08edb10557707"},
    {YS_RULE_CONFIRM_FITS, AGREED "<s 03 " CONFIRM "; >s 04 " HALF_KEY "; <s 04 " HALF_KEY,
     AGREED "<s 03 " HALF_KEY "; >s 04 " HALF_KEY "; <s 04 " HALF_KEY},
    {YS_RULE_CONFIRM_FITS, AGREED ">s 03 " HALF_KEY "; <s 03 6eafee386631f5a005063a2365485e2c; <s 04 " HALF_KEY,
     AGREED "<s 03 " CONFIRM "; >s 04 " HALF_KEY "; <s 04 11" HALF_KEY_REST},
    {YS_RULE_DEBUG_KEY, PAIR ">s 0c " POINT, PAIR ">s 0c " DEBUG KEY},
    {YS_RULE_LEGACY_PAIRING, PAIR, LINK ">s 01 04 00 09 10 02 02; <s 02 04 00 01 10 02 02"},
    {YS_RULE_HCI_FORM, RESET, "h> 01030c05"},
    {YS_RULE_COMMAND_CREDIT, RESET "h> 01051000", "h> 01030c00; h> 01051000"},
    {YS_RULE_COMMAND_CREDIT, RESET "h> 01051000; h> 01350c05 01 4000 0100", RESET "h> 01051000; h> 01041000"},
    {YS_RULE_COMMAND_ANSWERED, RESET, "h> 01030c00; + 2000; h> 01051000"},
    /* who begins anew may have been without power */
    {YS_RULE_COMMAND_ANSWERED, RESET "h> 01051000; + 2000; h> 01030c00", "h> 01030c00; + 2000; h> 01051000"},
    {YS_RULE_COMMAND_ASKED, RESET, "h> 01030c00; h< 040e0401051000"},
    {YS_RULE_DATA_CREDIT, JOINED DATA, JOINED DATA DATA},
    {YS_RULE_DATA_BUFFER, JOINED DATA, JOINED "h> 02 4000 1c00 18000400" TEN TEN "00000000"},
    {YS_RULE_DATA_KNOWN, JOINED DATA, JOINED "h> 02 4100 0700 03000400 0a0300"},
    {YS_RULE_COMPLETED_FITS, JOINED DATA "h< 041305 01 4000 0100", JOINED DATA "h< 041305 01 4000 0200"},
    {YS_RULE_RESET_FIRST, RESET, "h> 01031000"},
    {YS_RULE_CONNECTED_AS_TOLD, OWN "link;" TOLD "1800 0000 9001 05; e", OWN "link;" TOLD "1900 0000 9001 05; e"},
    {YS_RULE_CONNECTED_AS_TOLD, OWN "link latency=4;" TOLD "1800 0400 9001 05; e",
     OWN "link latency=4;" TOLD "1800 0000 9001 05; e"},
    {YS_RULE_ADVERTISED_AS_TOLD, OWN SET ENABLE("01") ADV "+ 5;" ENABLE("00"),
     OWN SET ENABLE("01") ADV "+ 5;" ENABLE("00") "+ 100;" ADV},
    {YS_RULE_ADVERTISED_AS_OFTEN, OWN SET ENABLE("01") ADV "+ 100;" ADV,
     OWN SET ENABLE("01") "row 5 200 37 1 4009 " FROM "020106"},
    {YS_RULE_FRAME_AS_HANDED, OWN "link;" TOLD "1800 0000 9001 05; e;" DATA "<a 0a0300",
     OWN "link;" TOLD "1800 0000 9001 05; e;" DATA "<a 0a0400"},
};

/* A definition for the tests: the value after handle 3 has one byte, that after 7 is protected. */

static const int one_byte;

static void attribute(void *context, const struct ys_party *server, uint16_t handle, struct ys_meaning *meaning)
{
    (void)context;
    (void)server;
    if (handle == 3)
        meaning->field = &one_byte;
}

static bool fits(void *context, const void *field, const uint8_t *bytes, size_t length)
{
    (void)bytes;
    (void)context;
    return field != &one_byte || length == 1;
}

static bool is_sound(void *context, const struct ys_party *server, uint16_t handle, const uint8_t *bytes, size_t length,
                     char *text, size_t size)
{
    (void)context;
    (void)server;
    (void)snprintf(text, size, "is too large");
    return handle != 3 || length != 1 || bytes[0] <= 100;
}

static uint64_t spacing_us(void *context, const struct ys_party *server, uint16_t handle)
{
    (void)context;
    (void)server;
    return handle == 3 ? 100000 : 0;
}

static bool is_protected(void *context, const struct ys_party *server, uint16_t handle, uint8_t property)
{
    (void)context;
    (void)server;
    (void)property;
    return handle == 7;
}

static const struct ys_glossary glossary = {
    .attribute = attribute, .fits = fits, .is_sound = is_sound, .spacing_us = spacing_us, .is_protected = is_protected};

static struct ys_audit *audit_of(const char *script)
{
    struct ys_audit *audit = ys_audit_new(&glossary);
    struct ys_follower *follower = ys_follower_new(ys_audit_take, audit);
    const struct ys_record_sink sink = {.take = ys_follower_take, .context = follower};
    assert_non_null(follower);
    ys_keys_add(ys_follower_keys(follower), traffic_key);
    traffic_play(script, &sink);
    ys_audit_end(audit);
    ys_follower_free(follower);
    return audit;
}

static void each_rule_finds_what_breaks_it_and_nothing_else(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        const char *name = ys_rules[cases[i].rule].name;
        struct ys_audit *good = audit_of(cases[i].keeps);
        struct ys_audit *bad = audit_of(cases[i].breaks);
        const struct ys_tally kept = *ys_audit_tally(good, cases[i].rule);
        const struct ys_tally broken = *ys_audit_tally(bad, cases[i].rule);
        size_t count;
        const struct ys_breach *breaches = ys_audit_breaches(bad, &count);
        bool told = false;
        for (size_t j = 0; j < count; j++)
            told = told || (breaches[j].rule == cases[i].rule && breaches[j].record > 0 && breaches[j].what[0] != '\0');
        if (kept.kept == 0 || kept.broken > 0 || broken.broken == 0 || !told)
            fail_msg("%s: kept %u and broken %u by good traffic, broken %u by bad", name, (unsigned)kept.kept,
                     (unsigned)kept.broken, (unsigned)broken.broken);
        ys_audit_free(good);
        ys_audit_free(bad);
    }
}

static void traffic_that_keeps_a_rule_breaks_no_other_error(void **state)
{
    (void)state;
    for (size_t i = 0; i < COUNT(cases); i++) {
        struct ys_audit *good = audit_of(cases[i].keeps);
        size_t count;
        const struct ys_breach *breaches = ys_audit_breaches(good, &count);
        for (size_t j = 0; j < count; j++) {
            /* what a case leaves out on purpose: indications and notifications that nobody asked for, the MTU */
            enum ys_rule_id rule = breaches[j].rule;
            bool apart = !ys_rules[rule].is_error || rule == YS_RULE_CONTROL_ONE || rule == YS_RULE_SUPERVISION;
            if (!apart)
                fail_msg("the good traffic of %s breaks %s: %s", ys_rules[cases[i].rule].name, ys_rules[rule].name,
                         breaches[j].what);
        }
        ys_audit_free(good);
    }
}

static void there_are_at_least_eighty_rules_and_each_has_a_case(void **state)
{
    (void)state;
    assert_true(YS_RULES >= 80);
    for (int rule = 0; rule < YS_RULES; rule++) {
        bool found = false;
        for (size_t i = 0; i < COUNT(cases); i++)
            found = found || cases[i].rule == (enum ys_rule_id)rule;
        if (!found)
            fail_msg("%s has no case", ys_rules[rule].name);
        assert_non_null(ys_rules[rule].clause);
        assert_non_null(ys_rules[rule].remedy);
    }
}

/* Who does not wait breaks a rule; who answers all of it in turn, or leaves one unanswered, breaks none with what
 * follows (Vol 3 Part F 3.3.2). */
static void answers_to_a_peer_that_does_not_wait_are_its_own(void **state)
{
    static const struct {
        const char *script;
        uint32_t fitting;
        uint32_t not_fitting;
    } talks[] = {
        {LINK ">a 0a0300; >a 0c03000000; >a 14010203; <a 0b01; <a 0d01; <a 0114000006", 3, 0},
        {LINK ">a 0a0300; >a 0c03000000; <a 0d01; >a 0a0300; <a 0b01", 2, 0},
        {LINK ">a 0a0300; >a 0a0500; <a 010a030002; <a 010a050002", 2, 0},
        {LINK ">a 0a0300; >a 0a0500; <a 13; <a 0b01", 1, 1},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(talks); i++) {
        struct ys_audit *audit = audit_of(talks[i].script);
        assert_true(ys_audit_tally(audit, YS_RULE_REQUEST_ONE)->broken > 0);
        assert_int_equal(ys_audit_tally(audit, YS_RULE_ANSWER_ASKED)->broken, 0);
        assert_int_equal(ys_audit_tally(audit, YS_RULE_ANSWER_FITS)->kept, talks[i].fitting);
        assert_int_equal(ys_audit_tally(audit, YS_RULE_ANSWER_FITS)->broken, talks[i].not_fitting);
        ys_audit_free(audit);
    }
}

/* Its host began it anew. */
static void advertising_that_is_begun_again_may_begin_at_once(void **state)
{
    static const char own[] = "h> 01052006 " FROM ";";
    static const char enable[] = "h> 010a200101;";
    char script[600];
    (void)state;
    for (int again = 0; again < 2; again++) {
        (void)snprintf(script, sizeof script, "%s%s%s + 10; %s %s + 100; %s", RESET, own, ADV, again ? enable : "", ADV,
                       ADV);
        struct ys_audit *audit = audit_of(script);
        assert_int_equal(ys_audit_tally(audit, YS_RULE_ADVERTISING_SPACING)->broken, !again);
        assert_true(ys_audit_tally(audit, YS_RULE_ADVERTISING_SPACING)->kept > 0);
        ys_audit_free(audit);
    }
}

/* What is missing makes no verdict: the same traffic without its beginning, or with a damaged packet. */
static void what_is_missing_is_no_breach(void **state)
{
    static const struct {
        enum ys_rule_id rule;
        const char *script;
    } missing[] = {
        {YS_RULE_ANSWER_ASKED, "link; e; <a 0b01"},
        {YS_RULE_CONTROL_ASKED, "link; e; <l 13"},
        {YS_RULE_FRAME_BEGIN, "link; e; >r 1 0102"},
        {YS_RULE_CONFIRMATION_ASKED, "link; e; >a 1e"},
        {YS_RULE_PAIRING_ORDER, "link; e; <s 02 04 00 09 10 02 02"},
        {YS_RULE_CHANNEL_OPEN, "link; e; >f 0041 0100 01"},
        {YS_RULE_DATA_LENGTH, "link; e; >r 2 18000400" TEN TEN "00000000"},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(missing); i++) {
        struct ys_audit *audit = ys_audit_new(&glossary);
        struct ys_follower *follower = ys_follower_new(ys_audit_take, audit);
        const struct ys_record_sink sink = {.take = ys_follower_take, .context = follower};
        /* a script without a connect request: an access address that begins in the middle */
        struct ys_audit *whole = audit_of(missing[i].script);
        assert_int_equal(ys_audit_tally(whole, missing[i].rule)->broken, 1);
        ys_audit_free(whole);
        char script[400];
        (void)snprintf(script, sizeof script, "link unheard=1; %s", missing[i].script + strlen("link; "));
        traffic_play(script, &sink);
        if (ys_audit_tally(audit, missing[i].rule)->broken != 0 || ys_audit_tally(audit, missing[i].rule)->unknown == 0)
            fail_msg("%s of a connection that was joined", ys_rules[missing[i].rule].name);
        ys_follower_free(follower);
        ys_audit_free(audit);
    }
}

static void what_the_key_is_not_known_of_is_counted(void **state)
{
    struct ys_audit *audit = ys_audit_new(&glossary);
    struct ys_follower *follower = ys_follower_new(ys_audit_take, audit);
    const struct ys_record_sink sink = {.take = ys_follower_take, .context = follower};
    (void)state;
    traffic_play(LINK "enc; >a 0a0300; ~crc; e", &sink);
    assert_int_equal(ys_audit_unreadable(audit), 3); /* both ends of the start, and the request */
    assert_int_equal(ys_audit_damaged(audit), 1);
    assert_int_equal(ys_audit_tally(audit, YS_RULE_MIC)->broken, 0);
    assert_true(ys_audit_tally(audit, YS_RULE_MIC)->unknown > 0);
    ys_follower_free(follower);
    ys_audit_free(audit);
}

/* What the standard gives as an example of f4 (Vol 3 Part H D.2), in air order. */
static void confirm_values_are_those_of_the_standard(void **state)
{
    uint8_t own[32];
    uint8_t other[32];
    uint8_t random[16];
    uint8_t confirm[16];
    (void)state;
    (void)from_hex("e69d350e480103ccdbfdf4ac1191f4efb9a5f9e9a7832c5e2cbe97f2d203b020", own, 32);
    (void)from_hex("fdc57ff449dd4f6bfb7c9df1c29acb592ae7d4eefbfc0a909abbf6323d8b1855", other, 32);
    (void)from_hex("abae2b71ecb2ffff3e7377d15484cbd5", random, 16);
    assert_true(ys_confirm_value(own, other, random, 0, confirm));
    assert_hex(confirm, 16, "2d8774a9bea1edf11cbda907f116c9f2");
}

static uint64_t step_ns;

static void pass_rounded(void *context, const struct ys_record *record)
{
    struct ys_record rounded = *record;
    rounded.at_ns -= rounded.at_ns % step_ns;
    rounded.air.start_ns = rounded.at_ns;
    ys_follower_take(context, &rounded);
}

/* Who counts microseconds may be one off; who counts milliseconds does not tell what follows within microseconds. */
static void what_is_judged_widens_with_the_steps_of_the_times(void **state)
{
    static const struct {
        uint64_t step_ns;
        const char *script;
        bool breaks;
    } rounded[] = {
        {1, LINK "~ifs 3; e", true},        {1000, LINK "~ifs 3; e", false}, {1000, LINK "~ifs 5; e", true},
        {1000000, LINK "~ifs 5; e", false}, {1000000, LINK "e 20", false},   {1000000, LINK "~channel 38; e", true},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(rounded); i++) {
        struct ys_audit *audit = ys_audit_new(&(struct ys_glossary){.context = NULL});
        struct ys_follower *follower = ys_follower_new(ys_audit_take, audit);
        const struct ys_record_sink sink = {.take = pass_rounded, .context = follower};
        uint64_t broken = 0;
        step_ns = rounded[i].step_ns;
        traffic_play(rounded[i].script, &sink);
        ys_audit_end(audit);
        for (int rule = 0; rule < YS_RULES; rule++)
            broken += ys_audit_tally(audit, (enum ys_rule_id)rule)->broken;
        if ((broken > 0) != rounded[i].breaks)
            fail_msg("%s, in steps of %llu ns: %llu broken", rounded[i].script, (unsigned long long)step_ns,
                     (unsigned long long)broken);
        ys_follower_free(follower);
        ys_audit_free(audit);
    }
}

static void pass_lost(void *context, const struct ys_record *record)
{
    struct ys_record lost = *record;
    lost.lost = record->number == 5;
    ys_follower_take(context, &lost);
}

/* Where the file itself says that packets were lost, nothing before that binds who comes after it. */
static void behind_packets_that_the_file_has_lost_nothing_is_known(void **state)
{
    static const char script[] = "h> 01030c00; h< 040e0401030c00; h> 01011000; h< 040e0c01011000 0d 0000 0d ffff 0000;"
                                 "h< 040e0401020c00; h> 0240200700 0300 0400 0a0300; h< 0413050140000900;";
    struct ys_audit *audit = ys_audit_new(&(struct ys_glossary){.context = NULL});
    struct ys_follower *follower = ys_follower_new(ys_audit_take, audit);
    const struct ys_record_sink sink = {.take = pass_lost, .context = follower};
    (void)state;
    traffic_play(script, &sink);
    for (int rule = 0; rule < YS_RULES; rule++)
        assert_int_equal(ys_audit_tally(audit, (enum ys_rule_id)rule)->broken, 0);
    assert_true(ys_audit_tally(audit, YS_RULE_COMPLETED_FITS)->unknown > 0);
    ys_follower_free(follower);
    ys_audit_free(audit);
}

/* A host's log from which packets are missing: it breaks rules of several kinds at once, or the file says so. */
static void of_a_log_that_has_lost_packets_nothing_is_said(void **state)
{
    static const char whole[] = "h> 01030c00; h< 040e0401030c00; h> 01011000; h< 040e0c01011000 0d 0000 0d ffff 0000;";
    static const struct {
        const char *script;
        bool breaks;
        unsigned lossy;
    } logs[] = {
        {"h> 01030c00; h< 040e0401030c00;", false, 0},
        /* an answer to what was not asked; data of no connection; completed packets that were not sent */
        {"h< 040e0401020c00;", true, 0},
        {"h< 040e0401020c00; h> 0240200700 0300 0400 0a0300;", true, 0},
        {"h< 040e0401020c00; h> 0240200700 0300 0400 0a0300; h< 0413050140000900;", false, 1},
    };
    (void)state;
    for (size_t i = 0; i < COUNT(logs); i++) {
        char script[600];
        struct ys_audit *audit = ys_audit_new(&(struct ys_glossary){.context = NULL});
        struct ys_follower *follower = ys_follower_new(ys_audit_take, audit);
        const struct ys_record_sink sink = {.take = ys_follower_take, .context = follower};
        uint64_t broken = 0;
        (void)snprintf(script, sizeof script, "%s%s", whole, logs[i].script);
        traffic_play(script, &sink);
        ys_audit_end(audit);
        for (int rule = 0; rule < YS_RULES; rule++)
            broken += ys_audit_tally(audit, (enum ys_rule_id)rule)->broken;
        size_t count;
        (void)ys_audit_breaches(audit, &count);
        if ((broken > 0) != logs[i].breaks || (count > 0) != logs[i].breaks ||
            ys_audit_lossy_logs(audit) != logs[i].lossy)
            fail_msg("%s: %llu broken, %zu kept, %u logs", logs[i].script, (unsigned long long)broken, count,
                     ys_audit_lossy_logs(audit));
        ys_follower_free(follower);
        ys_audit_free(audit);
    }
}

static void who_is_excepted_breaks_nothing(void **state)
{
    struct ys_audit *audit = ys_audit_new(&glossary);
    struct ys_follower *follower = ys_follower_new(ys_audit_take, audit);
    const struct ys_record_sink sink = {.take = ys_follower_take, .context = follower};
    (void)state;
    assert_true(ys_audit_except(audit, "c1:05:04:03:02:01"));
    traffic_play(LINK ">a 0a03; <a 0a03", &sink);
    assert_int_equal(ys_audit_tally(audit, YS_RULE_ATT_FORM)->broken, 1); /* the peripheral's */
    ys_follower_free(follower);
    ys_audit_free(audit);
}

/* For test_same_results: all that is said of all cases. */
static void print_case(const char *script)
{
    struct ys_audit *audit = audit_of(script);
    size_t count;
    const struct ys_breach *breaches = ys_audit_breaches(audit, &count);
    (void)puts(script);
    for (int rule = 0; rule < YS_RULES; rule++) {
        const struct ys_tally *tally = ys_audit_tally(audit, (enum ys_rule_id)rule);
        if (tally->kept + tally->broken + tally->unknown > 0)
            (void)printf("  %s %llu %llu %llu\n", ys_rules[rule].name, (unsigned long long)tally->kept,
                         (unsigned long long)tally->broken, (unsigned long long)tally->unknown);
    }
    for (size_t i = 0; i < count; i++)
        (void)printf("  %s: %s\n", ys_rules[breaches[i].rule].name, breaches[i].what);
    ys_audit_free(audit);
}

int main(int count, char **arguments)
{
    for (size_t i = 0; i < COUNT(cases) && count > 1 && strcmp(arguments[1], "print") == 0; i++) {
        print_case(cases[i].keeps);
        print_case(cases[i].breaks);
    }
    if (count > 1)
        return 0;
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(there_are_at_least_eighty_rules_and_each_has_a_case),
        cmocka_unit_test(each_rule_finds_what_breaks_it_and_nothing_else),
        cmocka_unit_test(traffic_that_keeps_a_rule_breaks_no_other_error),
        cmocka_unit_test(answers_to_a_peer_that_does_not_wait_are_its_own),
        cmocka_unit_test(advertising_that_is_begun_again_may_begin_at_once),
        cmocka_unit_test(what_is_missing_is_no_breach),
        cmocka_unit_test(what_the_key_is_not_known_of_is_counted),
        cmocka_unit_test(confirm_values_are_those_of_the_standard),
        cmocka_unit_test(what_is_judged_widens_with_the_steps_of_the_times),
        cmocka_unit_test(behind_packets_that_the_file_has_lost_nothing_is_known),
        cmocka_unit_test(of_a_log_that_has_lost_packets_nothing_is_said),
        cmocka_unit_test(who_is_excepted_breaks_nothing),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
