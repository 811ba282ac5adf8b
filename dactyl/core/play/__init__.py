"""Kit -> playbook -> voices: the rules of playing, once."""
