import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('accounts', '0001_initial'),
        ('jobs', '0002_libraryfile_meshes'),
    ]

    operations = [
        migrations.CreateModel(
            name='RuleSetting',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('rule', models.CharField(max_length=60)),
                ('setting', models.CharField(choices=[('off', 'Off'), ('caution', 'Caution'), ('stop', 'Stop')], max_length=10)),
                ('organisation', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='rules', to='accounts.organisation')),
            ],
            options={
                'unique_together': {('organisation', 'rule')},
            },
        ),
    ]
