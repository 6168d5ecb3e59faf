/* What a link's own tables are called. This one names none; an export brings the link's own in its place. */
#ifndef LINK_TABLES_H
#define LINK_TABLES_H
#endif
