"""What menus, benches, rooms and keys do in the window, a module a subject."""
