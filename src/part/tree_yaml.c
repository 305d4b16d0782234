/* tree_yaml.c — see tree_yaml.h. libyaml reads what is nested 50,000 deep for minutes; its events are composed here, and the first
 * one that is too deep ends it. */
#include "part/tree_yaml.h"

#include <stdlib.h>
#include <string.h>

#include <oakspindle/part.h>

enum { DEEPEST = 24, MOST_ANCHORS = 200, MOST_NODES = 200000 };

typedef struct composer {
    yaml_parser_t parser;
    yaml_document_t *document;
    oak_yaml_fault *fault;
    struct {
        int node;
        int key; /* of a mapping: the key that waits for its value, or 0 */
    } open[DEEPEST];
    int depth;
    struct {
        char *name;
        int node;
    } anchor[MOST_ANCHORS];
    unsigned anchor_count, node_count;
} composer;

static oak_status refuse(composer *c, const yaml_mark_t *mark, const char *message)
{
    *c->fault = (oak_yaml_fault){message, (uint32_t)mark->line + 1, (uint32_t)mark->column + 1};
    return OAK_REFUSED;
}

/* Puts a node into what is open. */
static oak_status join(composer *c, int node)
{
    if (!c->depth) return OAK_OK;
    int into = c->open[c->depth - 1].node;
    bool good = true;
    if (yaml_document_get_node(c->document, into)->type == YAML_SEQUENCE_NODE)
        good = yaml_document_append_sequence_item(c->document, into, node);
    else if (!c->open[c->depth - 1].key) c->open[c->depth - 1].key = node;
    else {
        good = yaml_document_append_mapping_pair(c->document, into, c->open[c->depth - 1].key, node);
        c->open[c->depth - 1].key = 0;
    }
    return good ? OAK_OK : OAK_NO_MEMORY;
}

static oak_status name_node(composer *c, const yaml_event_t *event, const yaml_char_t *anchor, int node)
{
    if (!anchor) return OAK_OK;
    if (c->anchor_count == MOST_ANCHORS) return refuse(c, &event->start_mark, "there are too many anchors");
    size_t length = strlen((const char *)anchor);
    char *copy = malloc(length + 1);
    if (!copy) return OAK_NO_MEMORY;
    memcpy(copy, anchor, length + 1);
    c->anchor[c->anchor_count].name = copy;
    c->anchor[c->anchor_count++].node = node;
    return OAK_OK;
}

/* A plain text that begins with ! (`!relay`), which the format takes for a tag: there are none here. */
static int add_tagged(composer *c, const yaml_event_t *event)
{
    const char *tag = (const char *)event->data.scalar.tag, *rest = (const char *)event->data.scalar.value;
    size_t length = strlen(tag), more = event->data.scalar.length;
    char *text = malloc(length + more + 2);
    if (!text) return 0;
    memcpy(text, tag, length);
    if (more) text[length++] = ' ';
    memcpy(text + length, rest, more);
    int node = yaml_document_add_scalar(c->document, NULL, (yaml_char_t *)text, (int)(length + more),
                                        event->data.scalar.style);
    free(text);
    return node;
}

static bool is_tagged(const yaml_event_t *event)
{
    const yaml_char_t *tag = event->data.scalar.tag;
    return tag && tag[0] == '!' && event->data.scalar.style == YAML_PLAIN_SCALAR_STYLE;
}

static oak_status add_node(composer *c, const yaml_event_t *event)
{
    bool scalar = event->type == YAML_SCALAR_EVENT, list = event->type == YAML_SEQUENCE_START_EVENT;
    const yaml_char_t *anchor = scalar ? event->data.scalar.anchor
                                : list ? event->data.sequence_start.anchor
                                       : event->data.mapping_start.anchor;
    if (++c->node_count > MOST_NODES) return refuse(c, &event->start_mark, "the file is too large");
    int node = scalar && is_tagged(event) ? add_tagged(c, event)
               : scalar ? yaml_document_add_scalar(c->document, NULL, event->data.scalar.value,
                                                   (int)event->data.scalar.length, event->data.scalar.style)
               : list   ? yaml_document_add_sequence(c->document, NULL, event->data.sequence_start.style)
                        : yaml_document_add_mapping(c->document, NULL, event->data.mapping_start.style);
    if (!node) return OAK_NO_MEMORY;
    yaml_document_get_node(c->document, node)->start_mark = event->start_mark;
    oak_status status = name_node(c, event, anchor, node);
    if (!status) status = join(c, node);
    if (status || scalar) return status;
    if (c->depth == DEEPEST)
        return refuse(c, &event->start_mark, "this is nested deeper than any file that is read here");
    c->open[c->depth].node = node;
    c->open[c->depth++].key = 0;
    return OAK_OK;
}

static oak_status add_alias(composer *c, const yaml_event_t *event)
{
    for (unsigned i = c->anchor_count; i-- > 0;) {
        if (strcmp(c->anchor[i].name, (const char *)event->data.alias.anchor) != 0) continue;
        for (int k = 0; k < c->depth; k++)
            if (c->open[k].node == c->anchor[i].node)
                return refuse(c, &event->start_mark, "this holds itself");
        return join(c, c->anchor[i].node);
    }
    return refuse(c, &event->start_mark, "there is no such anchor before it");
}

static oak_status take(composer *c, const yaml_event_t *event, bool *done)
{
    switch (event->type) {
    case YAML_SCALAR_EVENT:
    case YAML_SEQUENCE_START_EVENT:
    case YAML_MAPPING_START_EVENT: return add_node(c, event);
    case YAML_ALIAS_EVENT: return add_alias(c, event);
    case YAML_SEQUENCE_END_EVENT:
    case YAML_MAPPING_END_EVENT: c->depth--; return OAK_OK;
    case YAML_DOCUMENT_END_EVENT:
    case YAML_STREAM_END_EVENT: *done = true; return OAK_OK;
    default: return OAK_OK;
    }
}

static oak_status compose(composer *c)
{
    oak_status status = OAK_OK;
    for (bool done = false; !status && !done;) {
        yaml_event_t event;
        if (!yaml_parser_parse(&c->parser, &event)) {
            if (c->parser.error == YAML_MEMORY_ERROR || !c->parser.problem) return OAK_NO_MEMORY;
            return refuse(c, &c->parser.problem_mark, c->parser.problem);
        }
        status = take(c, &event, &done);
        yaml_event_delete(&event);
    }
    yaml_mark_t begin = {0};
    if (!status && !c->node_count) return refuse(c, &begin, NULL);
    return status;
}

oak_status oak_yaml_read(const uint8_t *bytes, size_t size, yaml_document_t *document, oak_yaml_fault *fault)
{
    composer c = {.document = document, .fault = fault};
    if (!yaml_document_initialize(document, NULL, NULL, NULL, 1, 1)) return OAK_NO_MEMORY;
    oak_status status = OAK_NO_MEMORY;
    if (yaml_parser_initialize(&c.parser)) {
        yaml_parser_set_input_string(&c.parser, bytes ? bytes : (const uint8_t *)"", size);
        status = compose(&c);
        yaml_parser_delete(&c.parser);
    }
    for (unsigned i = 0; i < c.anchor_count; i++) free(c.anchor[i].name);
    if (status) yaml_document_delete(document);
    return status;
}

bool oak_yaml_is_deep(const char *text, size_t size, uint32_t *line, uint32_t *column)
{
    if ((!text && size) || !line || !column) return false;
    yaml_parser_t parser;
    unsigned depth = 0;
    if (!yaml_parser_initialize(&parser)) return false;
    yaml_parser_set_input_string(&parser, (const uint8_t *)text, size);
    for (bool done = false; !done && depth <= DEEPEST;) {
        yaml_event_t event;
        if (!yaml_parser_parse(&parser, &event)) break;
        done = event.type == YAML_STREAM_END_EVENT;
        *line = (uint32_t)event.start_mark.line + 1;
        *column = (uint32_t)event.start_mark.column + 1;
        if (event.type == YAML_SEQUENCE_START_EVENT || event.type == YAML_MAPPING_START_EVENT) depth++;
        if (event.type == YAML_SEQUENCE_END_EVENT || event.type == YAML_MAPPING_END_EVENT) depth--;
        yaml_event_delete(&event);
    }
    yaml_parser_delete(&parser);
    return depth > DEEPEST;
}
