/* How much room there is, and what a link does without. This one leaves room for the most of everything; an
   export brings the link's own in its place. */
#ifndef LINK_SIZES_H
#define LINK_SIZES_H
#endif
