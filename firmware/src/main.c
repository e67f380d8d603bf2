// A station of its own on a small board: it speaks the station link (docs/station-link.md) over its serial line.
#include "board.h"
#include "ear.h"
#include "link.h"

int main(void)
{
	board_begin();
	bool link = false, ear = false; // whose message is half written
	for (;;) {
		link = link_run(!ear);
		ear = ears_run(!link);
		board_rest();
	}
}
