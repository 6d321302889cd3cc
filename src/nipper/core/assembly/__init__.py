"""The pack as it is put together: sense leads, matched cells, joining, capacity, first power."""
