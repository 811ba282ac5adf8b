"""Playbook + part -> voices -> stems."""
