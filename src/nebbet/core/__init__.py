"""The functional core: plain functions on frozen values, with no Qt, SQL, sockets or clock."""
