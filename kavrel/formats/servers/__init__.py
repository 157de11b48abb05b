"""The files that servers, clients and boxes are given, each from a template."""
